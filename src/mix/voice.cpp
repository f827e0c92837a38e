#include "mix/voice.hpp"

#include <algorithm>
#include <array>

#include "dsp/fade.hpp"
#include "dsp/pan.hpp"
#include "dsp/resample.hpp"

namespace tidewater {
namespace {

constexpr std::size_t longest_window = quantum * static_cast<std::size_t>(fastest_ratio) + 2 * reach + 16;

void add_ramped(const float* source, float* bus, double from, double to, int count) {
  const auto first = static_cast<float>(from);
  const auto step = static_cast<float>((to - from) / count);
  for (int i = 0; i < count; ++i) bus[i] += source[i] * (first + step * static_cast<float>(i));
}

}  // namespace

void Voice::start(const StartVoice& command, std::int64_t now) {
  *this = Voice{};
  clip_ = command.clip;
  step_ = Ramp::at(static_cast<double>(command.step));
  gain_ = Ramp::at(command.gain);
  start_frame_ = std::max(command.start_frame, now);
  fade_in_length_ = command.fade_in;
  group_ = command.group;
  loop_ = command.loop && command.clip.frames > 0;
  active_ = true;
}

void Voice::stop(std::int64_t fade) {
  fade = std::max(fade, shortest_fade);
  if (fade_out_length_ > 0 && fade_out_left_ <= fade) return;  // it is leaving sooner already
  // A second, shorter stop goes on from the level that the first has reached.
  const double reached = fade_out_length_ > 0 ? static_cast<double>(fade_out_left_) / static_cast<double>(fade_out_length_) : 1;
  fade_out_length_ = static_cast<std::int64_t>(static_cast<double>(fade) / reached);
  fade_out_left_ = fade;
}

double Voice::fade_at(std::int64_t frames_from_now) const {
  double level = 1;
  if (fade_in_done_ + frames_from_now < fade_in_length_)
    level = equal_loudness_fade(static_cast<double>(fade_in_done_ + frames_from_now) / static_cast<double>(fade_in_length_));
  if (fade_out_length_ > 0)
    level *= equal_loudness_fade(static_cast<double>(fade_out_left_ - frames_from_now) / static_cast<double>(fade_out_length_));
  return level;
}

int Voice::source_frames_left(std::uint64_t step, std::int64_t step_change, int wanted) const {
  if (loop_) return wanted;
  const std::uint64_t end = static_cast<std::uint64_t>(clip_.frames) << position_bits;
  std::uint64_t at = position_;
  int count = 0;
  while (count < wanted && at < end) {
    at += step;
    step += static_cast<std::uint64_t>(step_change);
    ++count;
  }
  return count;
}

const float* Voice::unrolled(int channel, std::int64_t first, std::int64_t length, std::span<float> scratch) const {
  const float* samples = clip_.channel[static_cast<std::size_t>(channel)];
  // Before the first seam, what precedes the head is the clip's own silence.
  if (!loop_ || first + length <= clip_.frames) return samples + first;
  for (std::int64_t i = 0; i < length; ++i) {
    const std::int64_t at = first + i;
    scratch[static_cast<std::size_t>(i)] = at < 0 ? 0.0F : samples[at % clip_.frames];
  }
  return scratch.data();
}

void Voice::read_source(std::uint64_t step, std::int64_t step_change, int count, float* left, float* right) {
  std::array<float*, 2> out = {left, right};
  const auto whole = static_cast<std::int64_t>(position_ >> position_bits);
  const std::uint64_t part = position_ & (unity_step - 1);
  const auto steps = static_cast<std::uint64_t>(count);
  const std::uint64_t travelled = step * steps + static_cast<std::uint64_t>(step_change) * (steps * (steps - 1) / 2);
  std::array<float, longest_window> scratch;
  const bool exact = step == unity_step && step_change == 0 && part == 0;
  const auto span = static_cast<std::int64_t>((part + travelled) >> position_bits) + 1;
  const ResampleFilter& filter = filter_for(std::max(step, step + static_cast<std::uint64_t>(step_change) * steps));
  const std::int64_t before = exact ? 0 : filter.taps / 2;
  for (int channel = 0; channel < 2 && clip_.channel[static_cast<std::size_t>(channel)] != nullptr; ++channel) {
    const float* source = unrolled(channel, whole - before, span + 2 * before, scratch) + before;
    float* to = out[static_cast<std::size_t>(channel)];
    if (exact)
      std::copy_n(source, count, to);
    else
      resample(filter, source, part, step, step_change, to, count);
  }
  position_ += travelled;
}

void Voice::wrap_position() {
  if (!loop_) return;
  // One round is kept, so that what lies before the seam is still the loop's end and not the silence before its head.
  const std::uint64_t round = static_cast<std::uint64_t>(clip_.frames) << position_bits;
  const std::uint64_t kept = (static_cast<std::uint64_t>(reach) << position_bits) + round;
  if (position_ > kept) position_ -= (position_ - kept) / round * round;
}

std::int64_t Voice::mix_into(StereoBus& bus, std::int64_t now) {
  const std::int64_t offset = std::max<std::int64_t>(0, start_frame_ - now);
  if (offset > 0 && fade_out_length_ > 0) {
    active_ = false;  // stopped before it was heard
    return now;
  }
  if (offset >= quantum) return -1;
  int count = quantum - static_cast<int>(offset);
  if (fade_out_length_ > 0) count = static_cast<int>(std::min<std::int64_t>(count, fade_out_left_));

  const auto step = static_cast<std::uint64_t>(step_.value);
  Ramp later = step_;
  const auto step_change = step_.moving() ? static_cast<std::int64_t>((later.advance(count) - step_.value) / count) : 0;
  const int heard = source_frames_left(step, step_change, count);
  const bool ended = heard < count || (fade_out_length_ > 0 && fade_out_left_ <= count);

  if (heard > 0) {
    alignas(64) std::array<float, quantum> left;
    alignas(64) std::array<float, quantum> right;
    read_source(step, step_change, heard, left.data(), right.data());
    const double from = gain_.value * fade_at(0);
    step_.advance(heard);
    const double to = gain_.advance(heard) * fade_at(heard);
    const bool mono = clip_.channel[1] == nullptr;
    const StereoGains centre = mono ? equal_power(0) : StereoGains{1, 1};
    add_ramped(left.data(), bus.left + offset, from * static_cast<double>(centre.left), to * static_cast<double>(centre.left), heard);
    add_ramped(mono ? left.data() : right.data(), bus.right + offset, from * static_cast<double>(centre.right),
               to * static_cast<double>(centre.right), heard);
    fade_in_done_ += heard;
    if (fade_out_length_ > 0) fade_out_left_ -= heard;
  }
  wrap_position();
  if (!ended) return -1;
  active_ = false;
  return now + offset + heard;
}

}  // namespace tidewater
