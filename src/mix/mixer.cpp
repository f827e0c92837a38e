#include "mix/mixer.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "dsp/resample.hpp"

namespace tidewater {
namespace {

constexpr std::size_t command_capacity = 4096;

}  // namespace

Mixer::Mixer(std::uint32_t voices)
    : voices_(voices),
      groups_(std::make_unique<Group[]>(most_groups)),
      meters_(std::make_unique<Meter[]>(most_groups)),
      commands_(command_capacity),
      finished_(voices + 1) {  // a voice is started again only after its last report was taken, so this never overflows
  groups_[0].used = true;
  prepare_filters();
}

bool Mixer::post(const Command& command) { return commands_.try_enqueue(command); }

bool Mixer::poll(VoiceFinished& report) { return finished_.try_dequeue(report); }

GroupMeter Mixer::read_meter(std::uint32_t group) {
  return {meters_[group].peak.exchange(0, std::memory_order_relaxed), meters_[group].rms.load(std::memory_order_relaxed)};
}

void Mixer::carry_out(const Command& command) noexcept {
  const auto active = [this](std::uint32_t voice) { return voice < voices_.size() && voices_[voice].active(); };
  if (const auto* start = std::get_if<StartVoice>(&command)) {
    voices_[start->voice].start(*start, rendered_);
  } else if (const auto* stop = std::get_if<StopVoice>(&command)) {
    if (active(stop->voice)) voices_[stop->voice].stop(stop->fade);
  } else if (const auto* gain = std::get_if<SetVoiceGain>(&command)) {
    if (active(gain->voice)) voices_[gain->voice].set_gain(gain->gain, gain->ramp);
  } else if (const auto* step = std::get_if<SetVoiceStep>(&command)) {
    if (active(step->voice)) voices_[step->voice].set_step(step->step, step->ramp);
  } else if (const auto* define = std::get_if<DefineGroup>(&command)) {
    groups_[define->group].parent = define->parent;
    groups_[define->group].gain = Ramp::at(define->gain);
    groups_[define->group].used = true;
  } else if (const auto* group = std::get_if<SetGroupGain>(&command)) {
    groups_[group->group].gain.go(group->gain, group->ramp);
  }
}

void Mixer::mix_group_into_parent(std::uint32_t index) noexcept {
  Group& group = groups_[index];
  const double before = group.gain.value;
  const double after = group.gain.advance(quantum);
  const auto from = static_cast<float>(before);
  const auto slope = static_cast<float>((after - before) / quantum);
  StereoBus& to = index == 0 ? output_ : groups_[group.parent].bus;
  float peak = 0;
  float power = 0;
  for (int i = 0; i < quantum; ++i) {
    const float gain = from + slope * static_cast<float>(i);
    const float left = group.bus.left[i] * gain;
    const float right = group.bus.right[i] * gain;
    to.left[i] += left;
    to.right[i] += right;
    peak = std::max({peak, std::abs(left), std::abs(right)});
    power += left * left + right * right;
  }
  Meter& meter = meters_[index];
  if (peak > meter.peak.load(std::memory_order_relaxed)) meter.peak.store(peak, std::memory_order_relaxed);
  meter.rms.store(std::sqrt(power / (2 * quantum)), std::memory_order_relaxed);
}

void Mixer::render_quantum() noexcept {
  Command command;
  while (commands_.try_dequeue(command)) carry_out(command);
  for (std::uint32_t g = 0; g < most_groups; ++g)
    if (groups_[g].used) std::memset(&groups_[g].bus, 0, sizeof(StereoBus));
  std::memset(&output_, 0, sizeof output_);
  for (std::uint32_t v = 0; v < voices_.size(); ++v) {
    if (!voices_[v].active()) continue;
    const std::int64_t end = voices_[v].mix_into(groups_[voices_[v].group()].bus, rendered_);
    if (end >= 0) finished_.try_enqueue(VoiceFinished{v, end});
  }
  for (std::uint32_t g = most_groups; g-- > 0;)
    if (groups_[g].used) mix_group_into_parent(g);
  rendered_ += quantum;
  output_left_ = quantum;
}

void Mixer::render(std::span<float> out) noexcept {
  const auto wanted = static_cast<std::int64_t>(out.size() / output_channels);
  float* to = out.data();
  for (std::int64_t done = 0; done < wanted;) {
    if (output_left_ == 0) render_quantum();
    const int from = quantum - output_left_;
    const int count = static_cast<int>(std::min<std::int64_t>(output_left_, wanted - done));
    for (int i = from; i < from + count; ++i) {
      *to++ = output_.left[i];
      *to++ = output_.right[i];
    }
    output_left_ -= count;
    done += count;
  }
  clock_.fetch_add(wanted, std::memory_order_release);
}

}  // namespace tidewater
