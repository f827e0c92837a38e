#include "dsp/kernels.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dsp/kernels.cpp"
#include <hwy/foreach_target.h>  // compiles this file once for each instruction set
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tidewater::kernels::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// What voices are mixed with takes as many lanes as their samples are made with. What comes in eights has eight: it leaves the
// processor its clock.
using Wide = hn::CappedTag<float, 16>;
using Floats = hn::CappedTag<float, 8>;

HWY_INLINE hn::Vec<Floats> load(Floats d, const std::int16_t* from) {
  const hn::Rebind<std::int16_t, Floats> narrow;
  const hn::Rebind<std::int32_t, Floats> wide;
  return hn::ConvertTo(d, hn::PromoteTo(wide, hn::LoadU(narrow, from)));
}

void widen_shorts(const std::int16_t* source, float* HWY_RESTRICT out, int count) {
  const Floats d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Floats()));
  const auto scale = hn::Set(d, 1.0F / 32768);
  int i = 0;
  for (; i + lanes <= count; i += lanes) hn::StoreU(hn::Mul(load(d, source + i), scale), d, out + i);
  for (; i < count; ++i) out[i] = static_cast<float>(source[i]) * (1.0F / 32768);
}

/// Gains of as many frames as there are lanes, from frame `at` on.
template <bool flat>
HWY_INLINE hn::Vec<Wide> gains(const Curve& gain, int at) {
  const Wide d;
  if constexpr (flat) return hn::Set(d, gain.first);
  const auto frame = hn::Add(hn::Iota(d, 0), hn::Set(d, static_cast<float>(at)));
  const auto by_frame = hn::MulAdd(frame, hn::MulAdd(frame, hn::Set(d, gain.cube), hn::Set(d, gain.square)), hn::Set(d, gain.change));
  return hn::MulAdd(frame, by_frame, hn::Set(d, gain.first));
}
HWY_INLINE float gain_at(const Curve& gain, int at) {
  const auto frame = static_cast<float>(at);
  return ((gain.cube * frame + gain.square) * frame + gain.change) * frame + gain.first;
}

/// What is left of some samples after whole vectors. It goes the same way as these, so that every frame is rounded alike, wherever
/// the pieces begin and end.
struct Rest {
  HWY_ALIGN float padded[hn::MaxLanes(Wide())] = {};

  Rest(const float* from, int count) {
    for (int i = 0; i < count; ++i) padded[i] = from[i];
  }
  void put_back(float* to, int count) const {
    for (int i = 0; i < count; ++i) to[i] = padded[i];
  }
};

template <bool flat>
HWY_INLINE void add_one_as(const float* HWY_RESTRICT source, const Curve& gain, float* HWY_RESTRICT bus, int count) {
  const Wide d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Wide()));
  const auto add = [&](int at, const float* from, float* to) {
    hn::StoreU(hn::MulAdd(hn::LoadU(d, from), gains<flat>(gain, at), hn::LoadU(d, to)), d, to);
  };
  int i = 0;
  for (; i + lanes <= count; i += lanes) add(i, source + i, bus + i);
  if (i == count) return;
  const Rest from(source + i, count - i);
  Rest to(bus + i, count - i);
  add(i, from.padded, to.padded);
  to.put_back(bus + i, count - i);
}
void add_one(const float* HWY_RESTRICT source, Curve gain, float* HWY_RESTRICT bus, int count) {
  gain.flat() ? add_one_as<true>(source, gain, bus, count) : add_one_as<false>(source, gain, bus, count);
}

template <bool flat>
HWY_INLINE void add_two_as(const float* HWY_RESTRICT source, const Curve& gain, float left_part, float right_part, float* HWY_RESTRICT left,
                           float* HWY_RESTRICT right, int count) {
  const Wide d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Wide()));
  const auto to_left = hn::Set(d, left_part);
  const auto to_right = hn::Set(d, right_part);
  const auto add = [&](int at, const float* from, float* one, float* other) {
    const auto x = hn::Mul(hn::LoadU(d, from), gains<flat>(gain, at));
    hn::StoreU(hn::MulAdd(x, to_left, hn::LoadU(d, one)), d, one);
    hn::StoreU(hn::MulAdd(x, to_right, hn::LoadU(d, other)), d, other);
  };
  int i = 0;
  for (; i + lanes <= count; i += lanes) add(i, source + i, left + i, right + i);
  if (i == count) return;
  const Rest from(source + i, count - i);
  Rest one(left + i, count - i), other(right + i, count - i);
  add(i, from.padded, one.padded, other.padded);
  one.put_back(left + i, count - i);
  other.put_back(right + i, count - i);
}
void add_two(const float* HWY_RESTRICT source, Curve gain, float left_part, float right_part, float* HWY_RESTRICT left,
             float* HWY_RESTRICT right, int count) {
  gain.flat() ? add_two_as<true>(source, gain, left_part, right_part, left, right, count)
              : add_two_as<false>(source, gain, left_part, right_part, left, right, count);
}

void add_two_along(const float* HWY_RESTRICT source, const Curve* gains, int curves, float left_part, float right_part,
                   float* HWY_RESTRICT left, float* HWY_RESTRICT right) {
  for (int at = 0; curves > 0; --curves, ++gains, at += curve_length)
    add_two_as<false>(source + at, *gains, left_part, right_part, left + at, right + at, curve_length);
}

void add_one_along(const float* HWY_RESTRICT source, const Curve* gains, int curves, float* HWY_RESTRICT bus) {
  for (int at = 0; curves > 0; --curves, ++gains, at += curve_length) add_one_as<false>(source + at, *gains, bus + at, curve_length);
}
void add_each_along(const float* HWY_RESTRICT source, const Curve* left_gains, const Curve* right_gains, int curves,
                    float* HWY_RESTRICT left, float* HWY_RESTRICT right) {
  const Wide d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Wide()));
  for (; curves > 0; --curves, ++left_gains, ++right_gains)
    for (int i = 0; i < curve_length; i += lanes, source += lanes, left += lanes, right += lanes) {
      const auto x = hn::LoadU(d, source);
      hn::StoreU(hn::MulAdd(x, gains<false>(*left_gains, i), hn::LoadU(d, left)), d, left);
      hn::StoreU(hn::MulAdd(x, gains<false>(*right_gains, i), hn::LoadU(d, right)), d, right);
    }
}

template <bool flat>
HWY_INLINE Level add_measured_as(const float* HWY_RESTRICT source, const Curve& gain, float* HWY_RESTRICT bus, int count) {
  const Wide d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Wide()));
  auto peaks = hn::Zero(d);
  auto powers = hn::Zero(d);
  int i = 0;
  for (; i + lanes <= count; i += lanes) {
    const auto x = hn::Mul(hn::LoadU(d, source + i), gains<flat>(gain, i));
    hn::StoreU(hn::Add(hn::LoadU(d, bus + i), x), d, bus + i);
    peaks = hn::Max(peaks, hn::Abs(x));
    powers = hn::MulAdd(x, x, powers);
  }
  Level level{hn::GetLane(hn::MaxOfLanes(d, peaks)), hn::GetLane(hn::SumOfLanes(d, powers))};
  for (; i < count; ++i) {
    const float x = source[i] * gain_at(gain, i);
    bus[i] += x;
    level.peak = level.peak < (x < 0 ? -x : x) ? (x < 0 ? -x : x) : level.peak;
    level.power += x * x;
  }
  return level;
}
Level add_measured(const float* HWY_RESTRICT source, Curve gain, float* HWY_RESTRICT bus, int count) {
  return gain.flat() ? add_measured_as<true>(source, gain, bus, count) : add_measured_as<false>(source, gain, bus, count);
}

float dot_of(const float* HWY_RESTRICT a, const float* HWY_RESTRICT b, int count) {
  const Floats d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Floats()));
  auto even = hn::Zero(d);
  auto odd = hn::Zero(d);
  int i = 0;
  for (; i + 2 * lanes <= count; i += 2 * lanes) {
    even = hn::MulAdd(hn::LoadU(d, a + i), hn::LoadU(d, b + i), even);
    odd = hn::MulAdd(hn::LoadU(d, a + i + lanes), hn::LoadU(d, b + i + lanes), odd);
  }
  for (; i < count; i += lanes) even = hn::MulAdd(hn::LoadU(d, a + i), hn::LoadU(d, b + i), even);
  return hn::GetLane(hn::SumOfLanes(d, hn::Add(even, odd)));
}

void peaks_of(const float* HWY_RESTRICT rows, int phases, int taps, const float* HWY_RESTRICT samples, float* HWY_RESTRICT peaks,
              int count) {
  const Floats d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Floats()));
  int i = 0;
  // Four phases of two vectors of frames at a time: each weight that is loaded is used twice, each vector four times.
  for (; i + 2 * lanes <= count; i += 2 * lanes) {
    auto highest = hn::Zero(d);
    auto highest_on = hn::Zero(d);
    for (int phase = 0; phase < phases; phase += 4) {
      const float* a = rows + phase * taps;
      auto s0 = hn::Zero(d), s1 = hn::Zero(d), s2 = hn::Zero(d), s3 = hn::Zero(d);
      auto t0 = hn::Zero(d), t1 = hn::Zero(d), t2 = hn::Zero(d), t3 = hn::Zero(d);
      for (int tap = 0; tap < taps; ++tap) {
        const auto x = hn::LoadU(d, samples + i + tap);
        const auto y = hn::LoadU(d, samples + i + tap + lanes);
        const auto a0 = hn::Set(d, a[tap]);
        const auto a1 = hn::Set(d, a[taps + tap]);
        const auto a2 = hn::Set(d, a[2 * taps + tap]);
        const auto a3 = hn::Set(d, a[3 * taps + tap]);
        s0 = hn::MulAdd(a0, x, s0);
        s1 = hn::MulAdd(a1, x, s1);
        s2 = hn::MulAdd(a2, x, s2);
        s3 = hn::MulAdd(a3, x, s3);
        t0 = hn::MulAdd(a0, y, t0);
        t1 = hn::MulAdd(a1, y, t1);
        t2 = hn::MulAdd(a2, y, t2);
        t3 = hn::MulAdd(a3, y, t3);
      }
      highest = hn::Max(highest, hn::Max(hn::Max(hn::Abs(s0), hn::Abs(s1)), hn::Max(hn::Abs(s2), hn::Abs(s3))));
      highest_on = hn::Max(highest_on, hn::Max(hn::Max(hn::Abs(t0), hn::Abs(t1)), hn::Max(hn::Abs(t2), hn::Abs(t3))));
    }
    hn::StoreU(highest, d, peaks + i);
    hn::StoreU(highest_on, d, peaks + i + lanes);
  }
  for (; i < count; ++i) {
    float highest = 0;
    for (int phase = 0; phase < phases; ++phase) {
      float sum = 0;
      for (int tap = 0; tap < taps; ++tap) sum += rows[phase * taps + tap] * samples[i + tap];
      sum = sum < 0 ? -sum : sum;
      highest = highest < sum ? sum : highest;
    }
    peaks[i] = highest;
  }
}

/// x * 0 is zero where x is finite, and not a number elsewhere.
bool all_finite(const float* samples, int count) {
  const Floats d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Floats()));
  const auto zero = hn::Zero(d);
  auto sum = hn::Zero(d);
  int i = 0;
  for (; i + lanes <= count; i += lanes) sum = hn::MulAdd(hn::LoadU(d, samples + i), zero, sum);
  float rest = hn::GetLane(hn::SumOfLanes(d, sum));
  for (; i < count; ++i) rest += samples[i] * 0.0F;
  return rest == 0;
}

void filter_eights(const FilterEight& by, double* state, float* HWY_RESTRICT samples, int count) {
  const Floats d;
  constexpr auto lanes = static_cast<int>(hn::MaxLanes(Floats()));
  double first = state[0];
  double second = state[1];
  HWY_ALIGN float response[16] = {};
  for (int i = 0; i < 8; ++i) response[8 + i] = by.response[i];
  for (int at = 0; at < count; at += 8) {
    float* x = samples + at;
    HWY_ALIGN float y[8];
    const auto s1 = hn::Set(d, static_cast<float>(first));
    const auto s2 = hn::Set(d, static_cast<float>(second));
    auto to_first = hn::Zero(d);
    auto to_second = hn::Zero(d);
    for (int v = 0; v < 8; v += lanes) {
      auto odd = hn::Mul(s1, hn::LoadU(d, by.from_state[0] + v));
      auto even = hn::Mul(s2, hn::LoadU(d, by.from_state[1] + v));
      for (int j = 0; j < 8; j += 2) {
        even = hn::MulAdd(hn::Set(d, x[j]), hn::LoadU(d, response + 8 - j + v), even);
        odd = hn::MulAdd(hn::Set(d, x[j + 1]), hn::LoadU(d, response + 7 - j + v), odd);
      }
      hn::Store(hn::Add(odd, even), d, y + v);
      const auto input = hn::LoadU(d, x + v);
      to_first = hn::MulAdd(input, hn::LoadU(d, by.to_state[0] + v), to_first);
      to_second = hn::MulAdd(input, hn::LoadU(d, by.to_state[1] + v), to_second);
    }
    const double before = first;
    first = by.carry[0][0] * before + by.carry[0][1] * second + static_cast<double>(hn::GetLane(hn::SumOfLanes(d, to_first)));
    second = by.carry[1][0] * before + by.carry[1][1] * second + static_cast<double>(hn::GetLane(hn::SumOfLanes(d, to_second)));
    for (int i = 0; i < 8; ++i) x[i] = y[i];
  }
  state[0] = first;
  state[1] = second;
}

const char* this_target() { return hwy::TargetName(HWY_TARGET); }

}  // namespace tidewater::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

#include <algorithm>
#include <array>
#include <cmath>

namespace tidewater::kernels {

HWY_EXPORT(widen_shorts);
HWY_EXPORT(add_one);
HWY_EXPORT(add_two);
HWY_EXPORT(add_two_along);
HWY_EXPORT(add_one_along);
HWY_EXPORT(add_each_along);
HWY_EXPORT(add_measured);
HWY_EXPORT(dot_of);
HWY_EXPORT(peaks_of);
HWY_EXPORT(all_finite);
HWY_EXPORT(filter_eights);
HWY_EXPORT(this_target);

void widen(const std::int16_t* source, float* out, int count) { HWY_DYNAMIC_DISPATCH(widen_shorts)(source, out, count); }
void add(const float* source, Curve gain, float* bus, int count) { HWY_DYNAMIC_DISPATCH(add_one)(source, gain, bus, count); }
void add(const float* source, Curve gain, float left_part, float right_part, float* left, float* right, int count) {
  HWY_DYNAMIC_DISPATCH(add_two)(source, gain, left_part, right_part, left, right, count);
}
void add_along(const float* source, const Curve* gains, int curves, float left_part, float right_part, float* left, float* right) {
  HWY_DYNAMIC_DISPATCH(add_two_along)(source, gains, curves, left_part, right_part, left, right);
}
void add_along(const float* source, const Curve* gains, int curves, float* bus) {
  HWY_DYNAMIC_DISPATCH(add_one_along)(source, gains, curves, bus);
}
void add_along(const float* source, const Curve* left_gains, const Curve* right_gains, int curves, float* left, float* right) {
  HWY_DYNAMIC_DISPATCH(add_each_along)(source, left_gains, right_gains, curves, left, right);
}
Level add_and_measure(const float* source, Curve gain, float* bus, int count) {
  return HWY_DYNAMIC_DISPATCH(add_measured)(source, gain, bus, count);
}
float dot(const float* a, const float* b, int count) { return HWY_DYNAMIC_DISPATCH(dot_of)(a, b, count); }
void peaks(const float* rows, int phases, int taps, const float* samples, float* peaks, int count) {
  HWY_DYNAMIC_DISPATCH(peaks_of)(rows, phases, taps, samples, peaks, count);
}
bool finite(const float* samples, int count) { return HWY_DYNAMIC_DISPATCH(all_finite)(samples, count); }
void filter(const FilterEight& by, double state[2], float* samples, int count) {
  HWY_DYNAMIC_DISPATCH(filter_eights)(by, state, samples, count);
}
const char* target_name() { return HWY_DYNAMIC_DISPATCH(this_target)(); }

namespace scalar {

void widen(const std::int16_t* source, float* out, int count) {
  for (int i = 0; i < count; ++i) out[i] = static_cast<float>(source[i]) / 32768;
}
namespace {
float gain_at(Curve gain, int at) {
  const auto frame = static_cast<float>(at);
  return ((gain.cube * frame + gain.square) * frame + gain.change) * frame + gain.first;
}
}  // namespace
void add(const float* source, Curve gain, float* bus, int count) {
  for (int i = 0; i < count; ++i) bus[i] += source[i] * gain_at(gain, i);
}
void add(const float* source, Curve gain, float left_part, float right_part, float* left, float* right, int count) {
  for (int i = 0; i < count; ++i) {
    left[i] += source[i] * gain_at(gain, i) * left_part;
    right[i] += source[i] * gain_at(gain, i) * right_part;
  }
}
void add_along(const float* source, const Curve* gains, int curves, float left_part, float right_part, float* left, float* right) {
  for (int at = 0; curves > 0; --curves, ++gains, at += curve_length)
    scalar::add(source + at, *gains, left_part, right_part, left + at, right + at, curve_length);
}
void add_along(const float* source, const Curve* gains, int curves, float* bus) {
  for (int at = 0; curves > 0; --curves, ++gains, at += curve_length) scalar::add(source + at, *gains, bus + at, curve_length);
}
void add_along(const float* source, const Curve* left_gains, const Curve* right_gains, int curves, float* left, float* right) {
  scalar::add_along(source, left_gains, curves, left);
  scalar::add_along(source, right_gains, curves, right);
}
Level add_and_measure(const float* source, Curve gain, float* bus, int count) {
  Level level;
  for (int i = 0; i < count; ++i) {
    const float x = source[i] * gain_at(gain, i);
    bus[i] += x;
    level.peak = std::max(level.peak, std::abs(x));
    level.power += x * x;
  }
  return level;
}
float dot(const float* a, const float* b, int count) {
  float sum = 0;
  for (int i = 0; i < count; ++i) sum += a[i] * b[i];
  return sum;
}
void peaks(const float* rows, int phases, int taps, const float* samples, float* peaks, int count) {
  for (int i = 0; i < count; ++i) {
    peaks[i] = 0;
    for (int phase = 0; phase < phases; ++phase) {
      float sum = 0;
      for (int tap = 0; tap < taps; ++tap) sum += rows[phase * taps + tap] * samples[i + tap];
      peaks[i] = std::max(peaks[i], std::abs(sum));
    }
  }
}
bool finite(const float* samples, int count) {
  return std::all_of(samples, samples + count, [](float x) { return std::isfinite(x); });
}

void filter(const FilterEight& by, double state[2], float* samples, int count) {
  for (int at = 0; at < count; at += 8) {
    const float* x = samples + at;
    std::array<float, 8> y{};
    std::array<double, 2> next{};
    for (std::size_t i = 0; i < 8; ++i) {
      y[i] = by.from_state[0][i] * static_cast<float>(state[0]) + by.from_state[1][i] * static_cast<float>(state[1]);
      for (std::size_t j = 0; j <= i; ++j) y[i] += by.response[i - j] * x[j];
    }
    for (std::size_t s = 0; s < 2; ++s) {
      float sum = 0;
      for (std::size_t j = 0; j < 8; ++j) sum += by.to_state[s][j] * x[j];
      next[s] = by.carry[s][0] * state[0] + by.carry[s][1] * state[1] + static_cast<double>(sum);
    }
    state[0] = next[0];
    state[1] = next[1];
    std::copy(y.begin(), y.end(), samples + at);
  }
}

}  // namespace scalar
}  // namespace tidewater::kernels

#endif  // HWY_ONCE
