#include "dsp/resample_kernels.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "dsp/resample_kernels.cpp"
#include <hwy/foreach_target.h>  // compiles this file once for each instruction set
#include <hwy/highway.h>

#include "dsp/as_stored.hpp"
#include "dsp/row_kernels.hpp"

HWY_BEFORE_NAMESPACE();
namespace tidewater::kernels::HWY_NAMESPACE {

#if HWY_TARGET == HWY_AVX3 || HWY_TARGET == HWY_AVX3_DL

namespace hn = hwy::HWY_NAMESPACE;

bool can_look_up() { return true; }

// A vector of frames, each in a lane of its own. Sixteen lanes, at the lower clock they cost, do better than eight: what counts is
// how often the coefficients are loaded.
using Frames = hn::CappedTag<float, 16>;
using Samples = hn::Vec<Frames>;
using Places = hn::RebindToSigned<Frames>;
using Lows = hn::RebindToUnsigned<Frames>;
using Positions = hn::Repartition<std::uint64_t, Frames>;
constexpr int lanes = static_cast<int>(hn::MaxLanes(Frames()));
// So many taps share what is loaded: their places differ by less than is loaded more than the first of them needs.
constexpr int shared = 4;
constexpr int most_taps = 136;

HWY_INLINE Samples from_two(Samples a, hn::Vec<Places> places, Samples b) {
  return Samples{_mm512_permutex2var_ps(a.raw, places.raw, b.raw)};
}

/// Of each frame the sample at its place, counted from x. As many pairs of vectors as are told are looked at.
template <int windows>
HWY_INLINE Samples looked_up(const float* x, hn::Vec<Places> places) {
  const Frames d;
  if constexpr (windows == 1) {
    return from_two(hn::LoadU(d, x), places, hn::LoadU(d, x + lanes));
  } else {
    constexpr int half = windows * lanes;
    const auto beyond = hn::RebindMask(d, hn::TestBit(places, hn::Set(Places(), half)));
    return hn::IfThenElse(beyond, looked_up<windows / 2>(x + half, places), looked_up<windows / 2>(x, places));
  }
}

/// A vector of frames: where the samples of their first taps are, counted from x, and of the taps behind; and their fractions.
struct Batch {
  const float* x;
  hn::Vec<Places> places[shared];
  Samples u;
};

/// Goes along the source, batch by batch. No sample from `end` on is read.
class Front {
 public:
  HWY_INLINE Front(const Walk& walk, const float* origin, const float* end)
      : origin_(origin), end_(end), position_(walk.position), step_(walk.step), bend_(static_cast<std::uint64_t>(walk.step_change)) {
    const Positions d;
    const auto k = hn::Iota(d, 0);
    const auto half = hn::Set(d, lanes / 2);
    first_ = hn::Mul(k, hn::Set(d, step_));
    second_ = hn::Add(first_, hn::Mul(half, hn::Set(d, step_)));
    if (bend_ == 0) return;
    const auto bends = [&](auto frame) {
      return hn::Mul(hn::ShiftRight<1>(hn::Mul(frame, hn::Sub(frame, hn::Set(d, 1)))), hn::Set(d, bend_));
    };
    first_ = hn::Add(first_, bends(k));
    second_ = hn::Add(second_, bends(hn::Add(k, half)));
    first_growth_ = hn::Mul(k, hn::Set(d, bend_ * lanes));
    second_growth_ = hn::Mul(hn::Add(k, half), hn::Set(d, bend_ * lanes));
  }

  /// Of a batch that looks at so many samples from its first on; they are copied where not all of them may be read.
  template <int most>
  HWY_INLINE void next(Batch& batch, int looks_at, float* copied) {
    batch.x = origin_ + (position_ >> 32U);
    if (batch.x + looks_at > end_) {
      const auto there = end_ - batch.x;
      for (std::ptrdiff_t k = 0; k < most; ++k) copied[k] = k < there ? batch.x[k] : 0.0F;
      batch.x = copied;
    }
    HWY_ALIGN const std::uint64_t fraction[] = {position_ & 0xFFFFFFFFU};
    const auto begins = hn::Set(Positions(), *as_stored(fraction));
    const auto first = hn::BitCast(Lows(), hn::Add(begins, first_));
    const auto second = hn::BitCast(Lows(), hn::Add(begins, second_));
    batch.places[0] = hn::BitCast(Places(), hn::ConcatOdd(Lows(), second, first));
    for (int k = 1; k < shared; ++k) batch.places[k] = hn::Add(batch.places[0], hn::Set(Places(), k));
    const auto from_middle = hn::Xor(hn::ConcatEven(Lows(), second, first), hn::Set(Lows(), 0x80000000U));
    batch.u = hn::Mul(hn::ConvertTo(Frames(), hn::BitCast(Places(), from_middle)), hn::Set(Frames(), 0x1P-32F));
    position_ += step_ * lanes + bend_ * (lanes * (lanes - 1) / 2);
    if (bend_ == 0) return;
    step_ += bend_ * lanes;
    first_ = hn::Add(first_, first_growth_);
    second_ = hn::Add(second_, second_growth_);
  }

 private:
  const float* origin_;
  const float* end_;
  std::uint64_t position_, step_, bend_;
  // How far each lane is beyond the first one, and how that grows from batch to batch.
  hn::Vec<Positions> first_, second_;
  hn::Vec<Positions> first_growth_ = hn::Zero(Positions()), second_growth_ = hn::Zero(Positions());
};

/// A vector of frames. `taps_known` while compiling, or 0.
template <int degree, int taps_known, int windows>
HWY_INLINE Samples filtered(const TapFilter& filter, const Batch& batch) {
  const Frames d;
  const int taps = taps_known != 0 ? taps_known : filter.taps;
  const float* HWY_RESTRICT coefficient = filter.coefficients;
  Samples sums[degree + 1];
  for (auto& sum : sums) sum = hn::Zero(d);
  for (int pair = 0; pair < taps / 2; pair += shared)
    for (int i = 0; i < shared && (taps_known == 0 || pair + i < taps / 2); ++i) {
      const auto lower = looked_up<windows>(batch.x + pair, batch.places[i]);
      const auto upper = looked_up<windows>(batch.x + taps - shared - pair, batch.places[shared - 1 - i]);
      const auto even = hn::Add(lower, upper);
      const auto odd = hn::Sub(lower, upper);
      for (int k = 0; k <= degree; ++k, ++coefficient) sums[k] = hn::MulAdd(k % 2 == 0 ? even : odd, hn::Set(d, *coefficient), sums[k]);
    }
  // Pairs of powers first (G. Estrin's scheme): fewer wait for one another.
  const auto square = hn::Mul(batch.u, batch.u);
  auto y = hn::MulAdd(sums[degree], batch.u, sums[degree - 1]);
  for (int k = degree - 3; k >= 0; k -= 2) y = hn::MulAdd(y, square, hn::MulAdd(sums[k + 1], batch.u, sums[k]));
  return y;
}

template <int degree, int taps_known, int windows>
void resample_taps(const TapFilter& filter, const float* source, const float* end, const Walk& walk, float* HWY_RESTRICT out, int count) {
  const Frames d;
  constexpr int window = 2 * windows * lanes;
  constexpr int most = (taps_known != 0 ? taps_known : most_taps) + window;
  const int looks_at = (taps_known != 0 ? taps_known : filter.taps) - shared + window;
  Front front(walk, source - (filter.taps / 2 - 1), end);
  HWY_ALIGN float copied[most];
  Batch batch;
  int i = 0;
  for (; i + lanes <= count; i += lanes) {
    front.next<most>(batch, looks_at, copied);
    hn::StoreU(filtered<degree, taps_known, windows>(filter, batch), d, out + i);
  }
  if (i == count) return;
  front.next<most>(batch, looks_at, copied);
  HWY_ALIGN float finished[lanes];
  hn::Store(filtered<degree, taps_known, windows>(filter, batch), d, finished);
  for (int k = 0; i + k < count; ++k) out[i + k] = finished[k];
}

/// Of a speed up to which a vector of frames and some taps lie within so many pairs of vectors.
constexpr float top_of(int windows) { return static_cast<float>(2 * windows * lanes - 1 - shared) / (lanes - 1); }

template <int degree>
void resample_far(const TapFilter& filter, const float* source, const float* end, const Walk& walk, float* out, int count) {
  if (filter.top < top_of(2)) return resample_taps<degree, 0, 2>(filter, source, end, walk, out, count);
  resample_taps<degree, 0, 4>(filter, source, end, walk, out, count);
}

void resample_polynomials(const TapFilter& filter, const float* source, const float* end, const Walk& walk, float* out, int count) {
  const auto is = [&](int degree, int taps) { return filter.degree == degree && filter.taps == taps && filter.top < top_of(1); };
  if (is(5, 12)) return resample_taps<5, 12, 1>(filter, source, end, walk, out, count);
  if (is(5, 16)) return resample_taps<5, 16, 1>(filter, source, end, walk, out, count);
  if (is(5, 20)) return resample_taps<5, 20, 1>(filter, source, end, walk, out, count);
  if (is(7, 24)) return resample_taps<7, 24, 1>(filter, source, end, walk, out, count);
  if (is(7, 28)) return resample_taps<7, 28, 1>(filter, source, end, walk, out, count);
  if (is(7, 40)) return resample_taps<7, 40, 1>(filter, source, end, walk, out, count);
  if (filter.degree == 5) return resample_far<5>(filter, source, end, walk, out, count);
  resample_far<7>(filter, source, end, walk, out, count);
}

/// Where the last frame of a walk is.
HWY_INLINE std::uint64_t last_position(const Walk& walk, int count) {
  const auto steps = static_cast<std::uint64_t>(count - 1);
  return walk.position + walk.step * steps + static_cast<std::uint64_t>(walk.step_change) * (steps * (steps - 1) / 2);
}

/// Samples are widened once, and not for each tap.
void resample_polynomials(const TapFilter& filter, const std::int16_t* source, const std::int16_t* end, const Walk& walk, float* out,
                          int count) {
  constexpr int most = 1024 + most_taps + lanes;
  HWY_ALIGN float wide[most + 8 * lanes];  // behind what is widened may be read, and is not used
  const hn::Rebind<std::int16_t, Frames> narrow;
  const auto scale = hn::Set(Frames(), 1.0F / 32768);
  const int piece = filter.top < 2 ? 512 : 128;  // no more than 1,024 samples
  const int before = filter.taps / 2 - 1;
  Walk rest = walk;
  for (int done = 0; done < count; done += piece) {
    const int frames = count - done < piece ? count - done : piece;
    const std::int16_t* const from = source + (rest.position >> 32U) - before;
    const Walk local{rest.position & 0xFFFFFFFFU, rest.step, rest.step_change};
    const int wanted = static_cast<int>(last_position(local, frames) >> 32U) + filter.taps;
    const int whole_vectors = (wanted + lanes - 1) / lanes * lanes;
    const int at_once = from + whole_vectors <= end ? whole_vectors : wanted;
    int k = 0;
    for (; k + lanes <= at_once; k += lanes)
      hn::Store(hn::Mul(hn::ConvertTo(Frames(), hn::PromoteTo(Places(), hn::LoadU(narrow, from + k))), scale), Frames(), wide + k);
    for (; k < wanted; ++k) wide[k] = static_cast<float>(from[k]) * (1.0F / 32768);
    resample_polynomials(filter, wide + before, wide + most + 8 * lanes, local, out + done, frames);
    if (done + frames == count) return;
    rest.position = last_position(rest, frames + 1);
    rest.step += static_cast<std::uint64_t>(rest.step_change) * static_cast<std::uint64_t>(frames);
  }
}

#else

bool can_look_up() { return false; }

template <class Sample>
void resample_polynomials(const TapFilter& filter, const Sample* source, const Sample*, const Walk& walk, float* out, int count) {
  scalar::resample(filter, source, walk, out, count);
}

#endif

void resample_floats(const TapFilter& filter, const float* source, const float* end, const Walk& walk, float* out, int count) {
  resample_polynomials(filter, source, end, walk, out, count);
}
void resample_shorts(const TapFilter& filter, const std::int16_t* source, const std::int16_t* end, const Walk& walk, float* out,
                     int count) {
  resample_polynomials(filter, source, end, walk, out, count);
}

}  // namespace tidewater::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE

namespace tidewater::kernels {

HWY_EXPORT(resample_floats);
HWY_EXPORT(resample_shorts);
HWY_EXPORT(can_look_up);

bool looks_up() { return HWY_DYNAMIC_DISPATCH(can_look_up)(); }

void resample(const TapFilter& filter, const float* source, const float* end, const Walk& walk, float* out, int count) {
  if (filter.rows.values != nullptr) return resample_by_rows(filter, source, walk, out, count);
  HWY_DYNAMIC_DISPATCH(resample_floats)(filter, source, end, walk, out, count);
}
void resample(const TapFilter& filter, const std::int16_t* source, const std::int16_t* end, const Walk& walk, float* out, int count) {
  if (filter.rows.values != nullptr) return resample_by_rows(filter, source, walk, out, count);
  HWY_DYNAMIC_DISPATCH(resample_shorts)(filter, source, end, walk, out, count);
}

namespace scalar {
namespace {

template <class Sample>
void resample_polynomials(const TapFilter& filter, const Sample* source, Walk walk, float scale, float* out, int count) {
  const int pairs = filter.taps / 2;
  for (int i = 0; i < count; ++i) {
    const Sample* const x = source + (walk.position >> 32U) - (pairs - 1);
    const float u = static_cast<float>(static_cast<std::int32_t>(static_cast<std::uint32_t>(walk.position) ^ 0x80000000U)) * 0x1P-32F;
    float y = 0;
    for (int k = filter.degree; k >= 0; --k) {
      float sum = 0;
      for (int pair = 0; pair < pairs; ++pair) {
        const auto a = static_cast<float>(x[pair]);
        const auto b = static_cast<float>(x[filter.taps - 1 - pair]);
        sum += filter.coefficients[pair * (filter.degree + 1) + k] * (k % 2 == 0 ? a + b : a - b);
      }
      y = y * u + sum;
    }
    out[i] = y * scale;
    walk.position += walk.step;
    walk.step += static_cast<std::uint64_t>(walk.step_change);
  }
}

}  // namespace

void resample(const TapFilter& filter, const float* source, const Walk& walk, float* out, int count) {
  resample_polynomials(filter, source, walk, 1.0F, out, count);
}
void resample(const TapFilter& filter, const std::int16_t* source, const Walk& walk, float* out, int count) {
  resample_polynomials(filter, source, walk, 1.0F / 32768, out, count);
}

}  // namespace scalar
}  // namespace tidewater::kernels

#endif  // HWY_ONCE
