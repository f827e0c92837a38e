#include "world/pass.hpp"

#include <algorithm>
#include <limits>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "world/pass.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tidewater::world_pass::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

/// Differences are whole numbers, and become floats only then: what is far from the origin is as exact as what is near. Sums are not
/// fused, so that every target finds the same.
void run_vectors(const Stretch& s, const At* ears, std::size_t ear_count, Found& found) {
  const hn::ScalableTag<std::int32_t> di;
  const hn::ScalableTag<std::uint32_t> du;
  const hn::ScalableTag<float> df;
  using I = hn::Vec<decltype(di)>;
  using F = hn::Vec<decltype(df)>;
  const std::size_t lanes = hn::Lanes(df);
  const auto square = [&](I ax, I ay, I az, I bx, I by, I bz) HWY_ATTR {
    const F x = hn::ConvertTo(df, hn::Sub(ax, bx)), y = hn::ConvertTo(df, hn::Sub(ay, by)), z = hn::ConvertTo(df, hn::Sub(az, bz));
    return hn::Add(hn::Add(hn::Mul(x, x), hn::Mul(y, y)), hn::Mul(z, z));
  };
  const auto nearest = [&](I x, I y, I z) HWY_ATTR {
    F best = hn::Set(df, std::numeric_limits<float>::max());
    for (std::size_t e = 0; e < ear_count; ++e)
      best = hn::Min(best, square(x, y, z, hn::Set(di, ears[e].x), hn::Set(di, ears[e].y), hn::Set(di, ears[e].z)));
    return best;
  };
  const F per_distance = hn::Set(df, 64.0F * 64.0F);
  std::size_t i = 0;
  for (; i + lanes <= s.count; i += lanes) {
    const I x = hn::LoadU(di, s.x + i), y = hn::LoadU(di, s.y + i), z = hn::LoadU(di, s.z + i);
    I kx = hn::LoadU(di, s.kept_x + i), ky = hn::LoadU(di, s.kept_y + i), kz = hn::LoadU(di, s.kept_z + i);
    const auto moved = hn::Gt(hn::Mul(square(x, y, z, kx, ky, kz), per_distance), nearest(x, y, z));
    const auto numbers = hn::Iota(du, s.first + static_cast<std::uint32_t>(i));
    if (!hn::AllFalse(df, moved)) {
      const auto moved_i = hn::RebindMask(di, moved);
      kx = hn::IfThenElse(moved_i, x, kx), ky = hn::IfThenElse(moved_i, y, ky), kz = hn::IfThenElse(moved_i, z, kz);
      hn::StoreU(kx, di, s.kept_x + i), hn::StoreU(ky, di, s.kept_y + i), hn::StoreU(kz, di, s.kept_z + i);
      found.moved_count += hn::CompressStore(numbers, hn::RebindMask(du, moved), du, found.moved + found.moved_count);
    }
    const F cut = hn::GatherIndex(df, s.cut, hn::BitCast(di, hn::LoadU(du, s.kind + i)));
    const auto near = hn::Lt(nearest(kx, ky, kz), cut);
    if (!hn::AllFalse(df, near))
      found.near_count += hn::CompressStore(numbers, hn::RebindMask(du, near), du, found.near + found.near_count);
  }
  if (i < s.count)
    run_scalar({s.x + i, s.y + i, s.z + i, s.kept_x + i, s.kept_y + i, s.kept_z + i, s.kind + i, s.cut,
                s.first + static_cast<std::uint32_t>(i), s.count - i},
               ears, ear_count, found);
}

}  // namespace tidewater::world_pass::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tidewater::world_pass {

HWY_EXPORT(run_vectors);

void run(const Stretch& stretch, const At* ears, std::size_t ear_count, Found& found) {
  HWY_DYNAMIC_DISPATCH(run_vectors)(stretch, ears, ear_count, found);
}

void run_scalar(const Stretch& s, const At* ears, std::size_t ear_count, Found& found) {
  const auto square = [](std::int32_t ax, std::int32_t ay, std::int32_t az, std::int32_t bx, std::int32_t by, std::int32_t bz) {
    const auto x = static_cast<float>(ax - bx), y = static_cast<float>(ay - by), z = static_cast<float>(az - bz);
    return x * x + y * y + z * z;
  };
  const auto nearest = [&](std::int32_t x, std::int32_t y, std::int32_t z) {
    float best = std::numeric_limits<float>::max();
    for (std::size_t e = 0; e < ear_count; ++e) best = std::min(best, square(x, y, z, ears[e].x, ears[e].y, ears[e].z));
    return best;
  };
  for (std::size_t i = 0; i < s.count; ++i) {
    const auto number = s.first + static_cast<std::uint32_t>(i);
    if (square(s.x[i], s.y[i], s.z[i], s.kept_x[i], s.kept_y[i], s.kept_z[i]) * (64.0F * 64.0F) > nearest(s.x[i], s.y[i], s.z[i])) {
      s.kept_x[i] = s.x[i], s.kept_y[i] = s.y[i], s.kept_z[i] = s.z[i];
      found.moved[found.moved_count++] = number;
    }
    if (nearest(s.kept_x[i], s.kept_y[i], s.kept_z[i]) < s.cut[s.kind[i]]) found.near[found.near_count++] = number;
  }
}

}  // namespace tidewater::world_pass
#endif
