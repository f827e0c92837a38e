/// A voice's level and place, and how they move: what of its samples each channel gets.

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "dsp/fade.hpp"
#include "dsp/kernels.hpp"
#include "mix/voice.hpp"

namespace tidewater {

/// Frames until it is over, of one that was told to go.
std::int64_t Voice::leaving_left() const { return cut_left_ > 0 ? std::min(cut_left_, fade_out_left_) : fade_out_left_; }

/// Its level before the place, and how it moves: from here on, or as it moved up to here.
Moving Voice::level(bool so_far) const {
  Moving level{gain_.value() * flow_.value(), gain_.value() * flow_.slope() + gain_.slope() * flow_.value()};
  if (lifted_) level = level * lift_.at(0);
  if (fade_in_done_ < fade_in_length_ || (so_far && fade_in_length_ > 0 && fade_in_done_ == fade_in_length_))
    level = level * fade(fade_in_done_, fade_in_length_, shortest_);
  if (fade_out_length_ > 0) {
    const Moving out = fade(fade_out_left_, fade_out_length_, shortest_);
    level = level * Moving{out.value, -out.slope};
  }
  return cut_.value() == 1 ? level : level * Moving{cut_.value(), cut_.slope()};
}

/// Frames for which its level and place follow one law.
std::int64_t Voice::knot() const {
  std::int64_t next = std::min({gain_.knot(), side_.knot(), flow_.knot(), cut_.knot()});
  if (fade_in_done_ < fade_in_length_) next = std::min(next, fade_in_length_ - fade_in_done_);
  if (lifted_) next = std::min(next, lift_.knot());
  return next;
}

/// Level and place move on in time.
void Voice::go_on(std::int64_t frames) {
  gain_.advance(frames);
  flow_.advance(frames);
  cut_.advance(frames);
  if (lifted_) lift_.advance(frames);
  if (side_.moving()) {
    side_.advance(frames);
    pan_ = gains();
  }
  fade_in_done_ += frames;
  if (fade_out_length_ > 0) fade_out_left_ -= frames;
  if (cut_left_ > 0) cut_left_ -= frames;
}

Voice::Gains Voice::gains() const {
  constexpr double quarter = std::numbers::pi / 4;
  const double side = side_.value();
  if (clip_.mono()) {
    // Equal power: the cosine and the sine of one angle.
    const double angle = (side + 1) * quarter;
    const double turn = quarter * side_.slope();
    return {{std::cos(angle), -std::sin(angle) * turn}, {std::sin(angle), std::cos(angle) * turn}};
  }
  // A balance takes away on the other side, by a cosine that begins without a bend.
  const double angle = 2 * quarter * std::abs(side);
  const double turn = 2 * quarter * (side < 0 ? -side_.slope() : side_.slope());
  const auto fold = static_cast<double>(fold_);
  const Moving less{fold * std::cos(angle), -fold * std::sin(angle) * turn};
  const Moving same{fold, 0};
  return side > 0 ? Gains{less, same} : Gains{same, less};
}

bool Voice::level_moves() const {
  return gain_.moving() || side_.moving() || flow_.moving() || fade_in_done_ < fade_in_length_ || fade_out_length_ > 0 || cut_left_ > 0 ||
         (lifted_ && lift_.moving());
}

bool Voice::only_gain_moves() const {
  return !lifted_ && !side_.moving() && !flow_.moving() && fade_in_done_ >= fade_in_length_ && fade_out_length_ == 0;
}

/// Its gain alone moves: all of the same law, a whole number of quanta, is added in one go. Returns how many frames.
int Voice::add_along_gain(float* bus_left, float* bus_right, const float* samples, int count) {
  std::array<kernels::Curve, most_run / quantum> curves;
  const int quanta = static_cast<int>(std::min<std::int64_t>(count, gain_.knot()) / quantum);
  if (quanta == 0) return 0;
  gain_.curves(curves.data(), quanta);
  gain_.advance(quanta * quantum);
  kernels::add_along(samples, curves.data(), quanta, static_cast<float>(pan_.left.value), static_cast<float>(pan_.right.value), bus_left,
                     bus_right);
  return quanta * quantum;
}

/// Source and bus of `count` frames, from the beginning of a quantum on or within one; mono where both sources are one.
void Voice::add_to(float* bus_left, float* bus_right, const float* left, const float* right, int count) {
  const bool mono = left == right;
  for (int at = 0, piece = 0; at < count; at += piece) {
    float* const to_left = bus_left + at;
    float* const to_right = bus_right + at;
    if (!level_moves()) {
      const double level = lifted_ ? gain_.value() * lift_.at(0).value : gain_.value();
      const auto left_part = static_cast<float>(level * pan_.left.value);
      const auto right_part = static_cast<float>(level * pan_.right.value);
      piece = count - at;
      if (mono) return kernels::add(left + at, {}, left_part, right_part, to_left, to_right, piece);
      kernels::add(left + at, {left_part}, to_left, piece);
      return kernels::add(right + at, {right_part}, to_right, piece);
    }
    // Levels that move do so from quantum to quantum, and from knot to knot.
    const bool follows_gain = mono && only_gain_moves();
    if (follows_gain && at % quantum == 0) {
      piece = add_along_gain(to_left, to_right, left + at, count - at);
      if (piece > 0) continue;
    }
    piece = static_cast<int>(std::min<std::int64_t>({count - at, quantum - at % quantum, knot()}));
    if (follows_gain) {
      const kernels::Curve gain = gain_.curve();
      gain_.advance(piece);
      kernels::add(left + at, gain, static_cast<float>(pan_.left.value), static_cast<float>(pan_.right.value), to_left, to_right, piece);
      continue;
    }
    const Moving before = level(false);
    const Gains pan_before = pan_;
    const bool turns = side_.moving();
    go_on(piece);
    const Moving after = level(true);
    if (mono && !turns) {
      kernels::add(left + at, curve(before, after, piece), static_cast<float>(pan_.left.value), static_cast<float>(pan_.right.value),
                   to_left, to_right, piece);
    } else {
      kernels::add(left + at, curve(before * pan_before.left, after * pan_.left, piece), to_left, piece);
      kernels::add(right + at, curve(before * pan_before.right, after * pan_.right, piece), to_right, piece);
    }
  }
}

/// What does not move goes into two channels at a time.
void Voice::add_flat(const Into& into, int at, const float* samples, int count) const {
  const auto level = static_cast<float>(lifted_ ? gain_.value() * lift_.at(0).value : gain_.value()) * (clip_.mono() ? 1 : fold_);
  std::size_t held = most_channels;  // one that waits for a second
  const auto part = [&](std::size_t c) { return level * into.channels.rests_at(c); };
  for (std::size_t c = 0; c < most_channels; ++c) {
    if (into.channels.rests_at(c) == 0) continue;
    if (held == most_channels) {
      held = c;
      continue;
    }
    kernels::add(samples, {}, part(held), part(c), into.bus.channel(held) + at, into.bus.channel(c) + at, count);
    held = most_channels;
  }
  if (held != most_channels) kernels::add(samples, {part(held)}, into.bus.channel(held) + at, count);
}

/// Of a voice in the world.
void Voice::add_to_channels(const Into& into, int at, const float* samples, int count) {
  const double fold = clip_.mono() ? 1 : static_cast<double>(fold_);
  for (int done = 0, piece = 0; done < count; done += piece) {
    if (!level_moves() && !into.channels.moving()) return add_flat(into, at + done, samples + done, count - done);
    piece = static_cast<int>(std::min<std::int64_t>({count - done, quantum - done % quantum, knot(), into.channels.knot()}));
    const Moving before = level(false) * fold;
    std::array<Moving, most_channels> from;
    std::array<bool, most_channels> heard{};
    for (std::size_t c = 0; c < most_channels; ++c)
      if (heard[c] = into.channels.heard(c); heard[c]) from[c] = into.channels.at(c);
    go_on(piece);
    into.channels.advance(piece);
    const Moving after = level(true) * fold;
    for (std::size_t c = 0; c < most_channels; ++c)
      if (heard[c])
        kernels::add(samples + done, curve(before * from[c], after * into.channels.at(c), piece), into.bus.channel(c) + at + done, piece);
  }
}

}  // namespace tidewater
