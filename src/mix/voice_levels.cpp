/// A voice's level and place, and how they move: what of its samples each channel gets.

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <utility>

#include "dsp/fade.hpp"
#include "dsp/kernels.hpp"
#include "mix/voice.hpp"

namespace tidewater {
namespace {

/// Quanta that are mixed in one go.
constexpr std::size_t most_quanta = most_run / quantum;

}  // namespace

/// Frames in which levels and places follow one law: as many whole quanta as there are, or a piece of one.
struct Voice::Stretch {
  int pieces = 1;
  int length = quantum;  ///< of each

  /// From frame `at` of `count` on, where a quantum begins with the first; no further than to the knot.
  Stretch(int at, int count, std::int64_t knot) {
    const auto until = static_cast<int>(std::min<std::int64_t>(count - at, knot));
    const int of_quantum = quantum - at % quantum;
    if (of_quantum == quantum && until >= quantum)
      pieces = until / quantum;
    else
      length = std::min(until, of_quantum);
  }
  int frames() const { return pieces * length; }
};

/// Frames until it is over, of one that was told to go.
std::int64_t Voice::leaving_left() const { return cut_left_ > 0 ? std::min(cut_left_, fade_out_left_) : fade_out_left_; }

/// Its level before the place, and how it moves: from here on, or as it moved up to here.
Moving Voice::level(bool so_far) const {
  Moving level{gain_.value() * flow_.value(), gain_.value() * flow_.slope() + gain_.slope() * flow_.value()};
  if (lifted_) level = level * lift_.at(0);
  if (fade_in_done_ < fade_in_length_ || (so_far && fade_in_length_ > 0 && fade_in_done_ == fade_in_length_))
    level = level * fade(fade_in_done_, fade_in_length_, shortest_, in_law_);
  if (fade_out_length_ > 0) {
    const Moving out = fade(fade_out_left_, fade_out_length_, shortest_, out_law_);
    level = level * Moving{out.value, -out.slope};
  }
  return cut_.value() == 1 ? level : level * Moving{cut_.value(), cut_.slope()};
}

/// Frames for which its level and place follow one law.
std::int64_t Voice::knot() const {
  std::int64_t next = std::min({gain_.knot(), side_.knot(), flow_.knot(), cut_.knot()});
  if (fade_in_done_ < fade_in_length_) next = std::min<std::int64_t>(next, fade_in_length_ - fade_in_done_);
  if (lifted_) next = std::min(next, lift_.knot());
  return next;
}

/// Level and place move on in time.
void Voice::move_on(std::int64_t frames) {
  gain_.advance(frames);
  flow_.advance(frames);
  cut_.advance(frames);
  if (lifted_) lift_.advance(frames);
  if (side_.moving()) {
    side_.advance(frames);
    pan_ = gains();
  }
  const auto count = static_cast<std::int32_t>(frames);
  if (fade_in_done_ <= fade_in_length_) fade_in_done_ = std::min(fade_in_done_ + count, fade_in_length_ + 1);
  if (fade_out_length_ > 0) fade_out_left_ -= count;
  if (cut_left_ > 0) cut_left_ -= count;
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
  return !lifted_ && !side_.moving() && !flow_.moving() && fade_in_done_ >= fade_in_length_ && fade_out_length_ == 0 && flow_.value() == 1;
}

/// A source into one bus along curves.
void Voice::add(const float* source, const kernels::Curve* gains, const Stretch& stretch, float* bus) {
  if (stretch.length == quantum) return kernels::add_along(source, gains, stretch.pieces, bus);
  kernels::add(source, *gains, bus, stretch.length);
}
/// Into two, each along its own.
void Voice::add(const float* source, const kernels::Curve* left_gains, const kernels::Curve* right_gains, const Stretch& stretch,
                float* left, float* right) {
  if (stretch.length == quantum) return kernels::add_along(source, left_gains, right_gains, stretch.pieces, left, right);
  kernels::add(source, *left_gains, left, stretch.length);
  kernels::add(source, *right_gains, right, stretch.length);
}
/// Into two along the same, each its part.
void Voice::add(const float* source, const kernels::Curve* gains, const Stretch& stretch, const Gains& parts, float* left, float* right) {
  const auto left_part = static_cast<float>(parts.left.value);
  const auto right_part = static_cast<float>(parts.right.value);
  if (stretch.length == quantum) return kernels::add_along(source, gains, stretch.pieces, left_part, right_part, left, right);
  kernels::add(source, *gains, left_part, right_part, left, right, stretch.length);
}

/// Its gain alone moves.
void Voice::add_along_gain(const float* samples, const Stretch& stretch, float* bus_left, float* bus_right) {
  std::array<kernels::Curve, most_quanta> curves;
  gain_.curves(curves.data(), stretch.pieces);
  gain_.advance(stretch.frames());
  add(samples, curves.data(), stretch, pan_, bus_left, bus_right);
}

/// Source and bus of `count` frames, from the beginning of a quantum on or within one; mono where both sources are one.
void Voice::add_to(float* bus_left, float* bus_right, const float* left, const float* right, int count) {
  const bool mono = left == right;
  for (int at = 0; at < count;) {
    float* const to_left = bus_left + at;
    float* const to_right = bus_right + at;
    if (!level_moves()) {
      const double level = flow_.value() * (lifted_ ? gain_.value() * lift_.at(0).value : gain_.value());
      const auto left_part = static_cast<float>(level * pan_.left.value);
      const auto right_part = static_cast<float>(level * pan_.right.value);
      const int rest = count - at;
      if (mono) return kernels::add(left + at, {1}, left_part, right_part, to_left, to_right, rest);
      kernels::add(left + at, {left_part}, to_left, rest);
      return kernels::add(right + at, {right_part}, to_right, rest);
    }
    const bool follows_gain = mono && only_gain_moves();
    const Stretch stretch(at, count, follows_gain ? gain_.knot() : knot());
    if (follows_gain)
      add_along_gain(left + at, stretch, to_left, to_right);
    else
      add_along(left + at, right + at, stretch, to_left, to_right);
    at += stretch.frames();
  }
}

/// Its level or its place moves, or both do.
void Voice::add_along(const float* left, const float* right, const Stretch& stretch, float* bus_left, float* bus_right) {
  const bool mono = left == right;
  const bool turns = side_.moving();
  std::array<kernels::Curve, most_quanta> to_left, to_right;
  Moving before = level(false);
  for (std::size_t i = 0; i < static_cast<std::size_t>(stretch.pieces); ++i) {
    const Gains pan_before = pan_;
    move_on(stretch.length);
    const Moving after = level(true);
    if (mono && !turns) {
      to_left[i] = curve(before, after, stretch.length);
    } else {
      to_left[i] = curve(before * pan_before.left, after * pan_.left, stretch.length);
      to_right[i] = curve(before * pan_before.right, after * pan_.right, stretch.length);
    }
    before = after;
  }
  if (mono && !turns) return add(left, to_left.data(), stretch, pan_, bus_left, bus_right);
  if (mono) return add(left, to_left.data(), to_right.data(), stretch, bus_left, bus_right);
  add(left, to_left.data(), stretch, bus_left);
  add(right, to_right.data(), stretch, bus_right);
}

/// What does not move goes into two channels at a time.
void Voice::add_flat(const Into& into, int at, const float* samples, int count) const {
  const auto level =
      static_cast<float>(flow_.value() * (lifted_ ? gain_.value() * lift_.at(0).value : gain_.value())) * (clip_.mono() ? 1 : fold_);
  std::size_t held = most_channels;  // one that waits for a second
  const auto part = [&](std::size_t c) { return level * into.channels.rests_at(c); };
  for (std::size_t c = 0; c < most_channels; ++c) {
    if (into.channels.rests_at(c) == 0) continue;
    if (held == most_channels) {
      held = c;
      continue;
    }
    kernels::add(samples, {1}, part(held), part(c), into.bus.channel(held) + at, into.bus.channel(c) + at, count);
    held = most_channels;
  }
  if (held != most_channels) kernels::add(samples, {part(held)}, into.bus.channel(held) + at, count);
}

/// Of a voice in the world.
void Voice::add_to_channels(const Into& into, int at, const float* samples, int count) {
  for (int done = 0; done < count;) {
    if (!level_moves() && !into.channels.moving()) return add_flat(into, at + done, samples + done, count - done);
    const Stretch stretch(done, count, std::min(knot(), into.channels.knot()));
    add_along(into, at + done, samples + done, stretch);
    done += stretch.frames();
  }
}

/// Its level, or what channels get of it, moves.
void Voice::add_along(const Into& into, int at, const float* samples, const Stretch& stretch) {
  std::array<std::array<kernels::Curve, most_quanta>, most_channels> curves;
  std::array<Moving, most_channels> gains;
  std::array<std::size_t, most_channels> channels{};
  std::size_t heard = 0;
  for (std::size_t c = 0; c < most_channels; ++c)
    if (into.channels.heard(c)) gains[heard] = into.channels.at(c), channels[heard++] = c;
  const double fold = clip_.mono() ? 1 : static_cast<double>(fold_);
  Moving before = level(false) * fold;
  for (std::size_t i = 0; i < static_cast<std::size_t>(stretch.pieces); ++i) {
    move_on(stretch.length);
    into.channels.advance(stretch.length);
    const Moving after = level(true) * fold;
    const auto gone = into.channels.gone();
    for (std::size_t h = 0; h < heard; ++h) {
      const Moving from = std::exchange(gains[h], into.channels.at(channels[h], gone));
      curves[h][i] = curve(before * from, after * gains[h], stretch.length);
    }
    before = after;
  }
  const auto bus = [&](std::size_t h) { return into.bus.channel(channels[h]) + at; };
  for (std::size_t h = 0; h + 1 < heard; h += 2) add(samples, curves[h].data(), curves[h + 1].data(), stretch, bus(h), bus(h + 1));
  if (heard % 2 == 1) add(samples, curves[heard - 1].data(), stretch, bus(heard - 1));
}

}  // namespace tidewater
