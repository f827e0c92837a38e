#include "dsp/row_kernels.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dsp/row_kernels.cpp"
#include <hwy/foreach_target.h>  // compiles this file once for each instruction set
#include <hwy/highway.h>

#include "dsp/as_stored.hpp"

HWY_BEFORE_NAMESPACE();
namespace tidewater::kernels::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

using Floats = hn::CappedTag<float, 8>;
// Sums of several frames are finished together, crosswise: as many frames as these have lanes.
constexpr int batch = static_cast<int>(hn::MaxLanes(Floats()));

HWY_INLINE hn::Vec<Floats> load(Floats d, const float* from) { return hn::LoadU(d, from); }
HWY_INLINE hn::Vec<Floats> load(Floats d, const std::int16_t* from) {
  const hn::Rebind<std::int16_t, Floats> narrow;
  const hn::Rebind<std::int32_t, Floats> wide;
  return hn::ConvertTo(d, hn::PromoteTo(wide, hn::LoadU(narrow, from)));
}

constexpr float scale_of(const float*) { return 1.0F; }
constexpr float scale_of(const std::int16_t*) { return 1.0F / 32768; }

/// Lane k of the result is the sum of vector k's lanes.
HWY_INLINE hn::Vec<Floats> sum_each(const hn::Vec<Floats>* v) {
#if HWY_TARGET == HWY_SCALAR
  return v[0];
#else
  const Floats d;
  const hn::Repartition<double, Floats> pairs;
  const auto across = [d](hn::Vec<Floats> a, hn::Vec<Floats> b) {
    return hn::Add(hn::InterleaveLower(d, a, b), hn::InterleaveUpper(d, a, b));
  };
  const auto across_pairs = [d, pairs](hn::Vec<Floats> a, hn::Vec<Floats> b) {
    const auto x = hn::BitCast(pairs, a);
    const auto y = hn::BitCast(pairs, b);
    return hn::Add(hn::BitCast(d, hn::InterleaveLower(pairs, x, y)), hn::BitCast(d, hn::InterleaveUpper(pairs, x, y)));
  };
  if constexpr (hn::MaxLanes(Floats()) == 8) {
    const auto halves = [d](hn::Vec<Floats> a, hn::Vec<Floats> b) {
      return hn::Add(hn::ConcatLowerLower(d, b, a), hn::ConcatUpperUpper(d, b, a));
    };
    return across_pairs(across(halves(v[0], v[4]), halves(v[1], v[5])), across(halves(v[2], v[6]), halves(v[3], v[7])));
  } else {
    return across_pairs(across(v[0], v[1]), across(v[2], v[3]));
  }
#endif
}

/// `taps` is known while compiling for the common lengths, or 0.
template <int taps_known, bool between, class Sample>
void resample_rows(const TapFilter& filter, const Sample* source, const Walk& walk, float* HWY_RESTRICT out, int count) {
  const Floats d;
  const hn::Rebind<std::uint32_t, Floats> whole;
  const hn::Rebind<std::int32_t, Floats> integers;
  const Rows& rows = filter.rows;
  const int taps = taps_known != 0 ? taps_known : rows.taps;
  const auto width = static_cast<std::size_t>(between ? 2 * taps : taps);
  const Sample* const origin = source - (taps / 2 - 1);
  const int fraction_bits = 32 - rows.phase_bits;
  const auto mask = hn::Set(whole, (1U << fraction_bits) - 1);
  const auto fraction_scale = hn::Set(d, 1.0F / static_cast<float>(1U << fraction_bits));
  const auto scale = hn::Set(d, scale_of(source));
  const auto frame = hn::Iota(whole, 0);
  const auto pairs_before = hn::ShiftRight<1>(hn::Mul(frame, hn::Sub(frame, hn::Set(whole, 1))));
  const auto bend = hn::Mul(pairs_before, hn::Set(whole, static_cast<std::uint32_t>(walk.step_change)));
  // The nearest of the rows, without turning over: half a phase up, half of it being added once more after the shift.
  const auto half_phase = hn::Set(whole, 1U << (fraction_bits - 1));
  std::uint64_t position = walk.position;
  std::uint64_t step = walk.step;

  for (int i = 0; i < count; i += batch) {
    HWY_ALIGN std::uint32_t phases[batch];
    HWY_ALIGN float shares[batch];
    const Sample* x[batch];
    // The lower halves of the positions, for all frames at once; they wrap as the positions themselves do.
    const auto lows = hn::Add(hn::Add(hn::Set(whole, static_cast<std::uint32_t>(position)), bend),
                              hn::Mul(frame, hn::Set(whole, static_cast<std::uint32_t>(step))));
    auto phase = hn::ShiftRightSame(lows, fraction_bits);
    if constexpr (between)
      hn::Store(hn::Mul(hn::ConvertTo(d, hn::BitCast(integers, hn::And(lows, mask))), fraction_scale), d, shares);
    else
      phase = hn::Add(phase, hn::ShiftRightSame(hn::And(lows, half_phase), fraction_bits - 1));
    hn::Store(phase, whole, phases);
    // Beyond the end frames are made and thrown away, from where the samples are sure to be: every frame is added up in the
    // same order.
    const int wanted = count - i < batch ? count - i : batch;
    for (int k = 0; k < batch; ++k) {
      x[k] = origin + (position >> 32U);
      if (wanted < batch && k + 1 >= wanted) continue;
      position += step;
      step += static_cast<std::uint64_t>(walk.step_change);
    }

    const float* const share = as_stored(shares);
    hn::Vec<Floats> frames[batch];
    for (int k = 0; k < batch; ++k) {
      const float* HWY_RESTRICT a = rows.values + static_cast<std::size_t>(phases[k]) * width;
      const auto mix = between ? hn::Set(d, share[k]) : hn::Zero(d);
      auto sum = hn::Zero(d);
      for (int tap = 0; tap < taps; tap += batch) {
        auto weights = hn::LoadU(d, a + tap);
        if constexpr (between) weights = hn::MulAdd(mix, hn::LoadU(d, a + taps + tap), weights);
        sum = hn::MulAdd(weights, load(d, x[k] + tap), sum);
      }
      frames[k] = sum;
    }
    const auto all = hn::Mul(sum_each(frames), scale);
    if (wanted == batch) {
      hn::StoreU(all, d, out + i);
    } else {
      HWY_ALIGN float finished[batch];
      hn::Store(all, d, finished);
      for (int k = 0; k < wanted; ++k) out[i + k] = finished[k];
    }
  }
}

template <class Sample>
void resample_any_rows(const TapFilter& filter, const Sample* source, const Walk& walk, float* out, int count) {
  if (!filter.rows.between) {
    if (filter.rows.taps == 16) return resample_rows<16, false>(filter, source, walk, out, count);
    if (filter.rows.taps == 24) return resample_rows<24, false>(filter, source, walk, out, count);
    return resample_rows<0, false>(filter, source, walk, out, count);
  }
  if (filter.rows.taps == 16) return resample_rows<16, true>(filter, source, walk, out, count);
  if (filter.rows.taps == 24) return resample_rows<24, true>(filter, source, walk, out, count);
  resample_rows<0, true>(filter, source, walk, out, count);
}

void rows_of_floats(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count) {
  resample_any_rows(filter, source, walk, out, count);
}
void rows_of_shorts(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count) {
  resample_any_rows(filter, source, walk, out, count);
}

}  // namespace tidewater::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace tidewater::kernels {

HWY_EXPORT(rows_of_floats);
HWY_EXPORT(rows_of_shorts);

void resample_by_rows(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count) {
  HWY_DYNAMIC_DISPATCH(rows_of_floats)(filter, source, walk, out, count);
}
void resample_by_rows(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count) {
  HWY_DYNAMIC_DISPATCH(rows_of_shorts)(filter, source, walk, out, count);
}

namespace scalar {
namespace {

template <class Sample>
void resample_rows(const TapFilter& filter, const Sample* source, Walk walk, float scale, float* out, int count) {
  const Rows& rows = filter.rows;
  const int fraction_bits = 32 - rows.phase_bits;
  for (int i = 0; i < count; ++i) {
    const auto low = static_cast<std::uint32_t>(walk.position);
    const Sample* const x = source + (walk.position >> 32U) - (rows.taps / 2 - 1);
    const auto phase = static_cast<std::size_t>((low >> fraction_bits) + (rows.between ? 0 : low >> (fraction_bits - 1) & 1U));
    const float share = static_cast<float>(low & ((1U << fraction_bits) - 1)) / static_cast<float>(1U << fraction_bits);
    const float* const a = rows.values + phase * static_cast<std::size_t>(rows.between ? 2 * rows.taps : rows.taps);
    float sum = 0;
    for (int tap = 0; tap < rows.taps; ++tap)
      sum += (rows.between ? a[tap] + share * a[rows.taps + tap] : a[tap]) * static_cast<float>(x[tap]);
    out[i] = sum * scale;
    walk.position += walk.step;
    walk.step += static_cast<std::uint64_t>(walk.step_change);
  }
}

}  // namespace

void resample_by_rows(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count) {
  resample_rows(filter, source, walk, 1.0F, out, count);
}
void resample_by_rows(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count) {
  resample_rows(filter, source, walk, 1.0F / 32768, out, count);
}

}  // namespace scalar
}  // namespace tidewater::kernels

#endif  // HWY_ONCE
