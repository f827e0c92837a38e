/// Mixes the groups: filters, levels, ducks and meters, each group into its parent.

#include <algorithm>
#include <cmath>
#include <cstring>

#include "mix/mixer.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// Something comes into channels of a group. A pair that was quiet begins with nothing, over the whole run: what it last held may be
/// longer than the runs that went by since.
void Mixer::open(Group& group, Channels which, int frames) noexcept {
  for (std::size_t pair = 0; pair < width_ / 2; ++pair)
    if ((which >> (2 * pair) & front) != 0 && (group.heard >> (2 * pair) & front) == 0) clear(group, pair, frames);
  group.heard |= which;
}

void Mixer::clear(const Group& group, std::size_t pair, int frames) noexcept {
  for (const std::size_t channel : {2 * pair, 2 * pair + 1})
    std::memset(group.bus.channel(channel), 0, static_cast<std::size_t>(frames) * sizeof(float));
}

/// Whatever went wrong in a voice or a clip stays in its group: a sample that is not finite is none.
void Mixer::mend(std::uint32_t group, int frames) noexcept {
  each_channel(groups_[group].heard, [&](std::size_t channel) {
    float* const samples = groups_[group].bus.channel(channel);
    if (kernels::finite(samples, frames)) return;
    for (int i = 0; i < frames; ++i)
      if (!std::isfinite(samples[i])) samples[i] = 0;
    broken_group_.store(group, std::memory_order_relaxed);
  });
}

/// The sum of groups may overflow a float although no single group does.
void Mixer::mend_output(int frames) noexcept {
  for (std::size_t channel = 0; channel < width_; ++channel) {
    float* const samples = output_.channel(channel);
    if (kernels::finite(samples, frames)) continue;
    for (int i = 0; i < frames; ++i)
      if (!std::isfinite(samples[i])) samples[i] = 0;
    broken_group_.store(0, std::memory_order_relaxed);
  }
}

/// A quantum of two channels. False where something in it was not finite.
bool Mixer::filter_pair(Group& group, std::size_t pair, int at) noexcept {
  bool whole = true;
  for (StateFilter* filter : {&group.filters[pair].low_pass, &group.filters[pair].high_pass})
    if (filter->active()) whole = filter->run(group.bus.channel(2 * pair) + at, group.bus.channel(2 * pair + 1) + at, quantum) && whole;
  return whole;
}

/// Puts the groups into an order in which a group comes after all groups below it and after the keys of its ducks. Among those that may
/// be next, the highest number is. The control side lets no duck through that makes a circle.
void Mixer::order_groups() noexcept {
  std::array<std::uint32_t, most_groups> waits_for{};
  const auto each_after = [this](std::uint32_t group, auto act) {
    if (group > 0) act(groups_[group].parent);
    for (std::uint32_t g = 0; g < most_groups; ++g)
      if (groups_[g].used)
        for (const Duck& duck : groups_[g].ducks)
          if (duck.listens() && duck.key() == group) act(g);
  };
  for (std::uint32_t g = 0; g < most_groups; ++g)
    if (groups_[g].used) each_after(g, [&](std::uint32_t after) { ++waits_for[after]; });
  std::array<bool, most_groups> placed{};
  groups_in_order_ = 0;
  for (std::uint32_t left = most_groups; left > 0;) {
    --left;
    if (!groups_[left].used || placed[left] || waits_for[left] > 0) continue;
    placed[left] = true;
    order_[groups_in_order_++] = left;
    each_after(left, [&](std::uint32_t after) { --waits_for[after]; });
    left = most_groups;
  }
  order_is_old_ = false;
}

void Mixer::mix_groups(int frames) noexcept {
  if (order_is_old_) order_groups();
  for (std::uint32_t i = 0; i < groups_in_order_; ++i) {
    const std::uint32_t index = order_[i];
    const Bus& to = index == 0 ? output_ : groups_[groups_[index].parent].bus;
    if (tap_ != nullptr) tap_->before(to, frames);
    mix_group_into_parent(index, frames);
    if (tap_ != nullptr) tap_->group_added(index, rendered_, to, frames);
  }
}

/// Moves the ducks of a group on by a quantum. Of several the deepest counts. Returns the change of level at the quantum's end, in dB.
float Mixer::step_ducks(Group& group, std::size_t which) noexcept {
  float depth = 0;
  for (Duck& duck : group.ducks)
    if (!duck.rests()) depth = std::min(depth, duck.step(duck.listens() ? groups_[duck.key()].powers[which] : 0));
  return depth;
}

/// Returns the curve of a group's level over the next `count` frames, and moves its factors on. Where mood and duck rest at 0 dB, it is the
/// curve of the group's own level, bit for bit.
kernels::Curve Mixer::level_curve(Group& group, Moving duck, int count) noexcept {
  const auto now = [&group] { return Moving{group.gain.value(), group.gain.slope()} * Moving{group.mood.value(), group.mood.slope()}; };
  if (duck.slope == 0 && !group.mood.moving()) {
    const auto rest = static_cast<float>(group.mood.value() * duck.value);
    const kernels::Curve own = group.gain.curve();
    group.gain.advance(count);
    return {own.first * rest, own.change * rest, own.square * rest, own.cube * rest};
  }
  const Moving from = now() * duck;
  group.gain.advance(count);
  group.mood.advance(count);
  duck.value += duck.slope * count;
  return curve(from, now() * duck, count);
}

void Mixer::measure(LoudnessMeter& meter, const Group& group, int from, const kernels::Curve& gain, int count) const noexcept {
  const auto heard = [&](std::size_t channel) { return (group.heard >> channel & 1) != 0 ? group.bus.channel(channel) + from : nullptr; };
  for (std::size_t channel = 0; channel < width_; channel += 2) meter.add(channel, heard(channel), heard(channel + 1), gain, count);
  meter.advance(count);
}

void Mixer::mix_group_into_parent(std::uint32_t index, int frames) noexcept {
  Group& group = groups_[index];
  const Bus& to = index == 0 ? output_ : groups_[group.parent].bus;
  Meter& meter = meters_[index];
  float peak = meter.peak.load(std::memory_order_relaxed);
  float power = 0;
  LoudnessMeter* const watched = watched_meter(index);
  mend(index, frames);
  if (index > 0) open(groups_[group.parent], group.heard, frames);
  for (int at = 0; at < frames; at += quantum) {
    for (std::size_t pair = 0; pair < width_ / 2; ++pair)
      if (group.filters[pair].active() && !filter_pair(group, pair, at)) broken_group_.store(index, std::memory_order_relaxed);
    power = 0;
    const auto which = static_cast<std::size_t>(at / quantum);
    const double before = group.ducked;
    if (const float depth = step_ducks(group, which); depth != group.depth) {
      group.depth = depth;
      group.ducked = amplitude(Decibels{static_cast<double>(depth)});
    }
    const double slope = (group.ducked - before) / quantum;
    for (int from = at, count = 0; from < at + quantum; from += count) {
      count = static_cast<int>(std::min({std::int64_t{at + quantum - from}, group.gain.knot(), group.mood.knot()}));
      const kernels::Curve gain = level_curve(group, {before + slope * (from - at), slope}, count);
      each_channel(group.heard, [&](std::size_t channel) {
        const auto its = kernels::add_and_measure(group.bus.channel(channel) + from, gain, to.channel(channel) + from, count);
        peak = std::max(peak, its.peak);
        power += its.power;
      });
      if (watched != nullptr) measure(*watched, group, from, gain, count);
    }
    group.powers[which] = power / (2 * quantum);
  }
  meter.peak.store(peak, std::memory_order_relaxed);
  meter.rms.store(std::sqrt(power / (2 * quantum)), std::memory_order_relaxed);
}

}  // namespace tidewater
