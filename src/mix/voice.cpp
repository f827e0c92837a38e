#include "mix/voice.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "dsp/kernels.hpp"
#include "dsp/resample.hpp"
#include "mix/stream_ring.hpp"

namespace tidewater {
namespace {

constexpr std::size_t longest_window = most_run * static_cast<std::size_t>(fastest_ratio) + 2 * reach + 16;

/// A stream that was late goes on when it has this much ahead again.
constexpr std::int64_t enough_ahead = 4096;

constexpr auto fastest_step = static_cast<std::int64_t>(fastest_ratio) << position_bits;

/// What goes through a clip without its samples.
constexpr auto unread = [](auto&&...) {};

/// How far so many frames go, in source frames with 32 bits below the point.
std::uint64_t travel(std::uint64_t step, std::int64_t step_change, int count) {
  const auto steps = static_cast<std::uint64_t>(count);
  return step * steps + static_cast<std::uint64_t>(step_change) * (steps * (steps - 1) / 2);
}

/// Returns a step at a time scale, at most the fastest step.
std::int64_t scaled(std::int64_t step, std::int64_t scale) { return std::min((step * scale) >> scale_bits, fastest_step); }

}  // namespace

/// The way of one quantum through the clip. Each step is `change` longer than the step before. All `frames` together cover `travelled`.
struct Voice::Warp {
  std::uint64_t step = unity_step;
  std::int64_t change = 0;
  int frames = quantum;
  std::uint64_t travelled = 0;
  double fastest = 1;  ///< the higher time scale of the quantum's two ends
};

/// A stream counts on in a loop: its rounds need not be whole at this rate.
ClipPosition Voice::position() const {
  return {loop_ && clip_.stream == nullptr ? clip_.folded(source_frame()) : source_frame(), static_cast<std::uint32_t>(position_)};
}

int Voice::source_frames_left(std::uint64_t step, std::int64_t step_change, int wanted) const {
  if (loop_) return wanted;
  const std::uint64_t end = static_cast<std::uint64_t>(std::max<std::int64_t>(0, clip_.frames - turned_)) << position_bits;
  std::uint64_t at = position_;
  const std::uint64_t fastest = step + static_cast<std::uint64_t>(std::max<std::int64_t>(0, step_change) * wanted);
  if (at + fastest * static_cast<std::uint64_t>(wanted) <= end) return wanted;
  int count = 0;
  while (count < wanted && at < end) {
    at += step;
    step += static_cast<std::uint64_t>(step_change);
    ++count;
  }
  return count;
}

template <class Sample>
const Sample* Voice::unrolled(const Sample* samples, std::int64_t first, std::int64_t length, std::span<Sample> scratch) const {
  // Before the first seam, what precedes the head is the clip's own silence.
  if (!loop_ || first + length <= clip_.frames) return samples + first;
  std::int64_t at = first < 0 ? first : clip_.folded(first);
  if (at + length <= clip_.frames) return samples + at;
  for (std::int64_t done = 0, piece = 0; done < length; done += piece, at = clip_.loop_from) {
    piece = std::min(length - done, clip_.frames - at);
    std::copy_n(samples + at, piece, scratch.data() + done);
  }
  return scratch.data();
}

/// From the head in memory, then from the ring, then silence behind the end.
const float* Voice::streamed(std::size_t channel, std::int64_t first, std::int64_t length, std::span<float> scratch) const {
  const std::int64_t end = first + length;
  if (end <= clip_.kept) return clip_.floats[channel] + first;
  const std::int64_t from_memory = std::clamp<std::int64_t>(clip_.kept - first, 0, length);
  std::copy_n(clip_.floats[channel] + std::min(first, clip_.kept), from_memory, scratch.data());
  const std::int64_t behind = loop_ ? 0 : std::clamp<std::int64_t>(end - clip_.frames, 0, length - from_memory);
  clip_.stream->copy(channel, first + from_memory, length - from_memory - behind, scratch.data() + from_memory);
  std::fill_n(scratch.data() + length - behind, behind, 0.0F);
  return scratch.data();
}

template <class Sample>
void Voice::read_channel(std::size_t channel, const Sample* samples, const kernels::Walk& walk, std::int64_t span, int count,
                         float* out) const {
  const std::int64_t whole = source_frame();
  std::array<Sample, longest_window> scratch;
  const auto samples_from = [&](std::int64_t first, std::int64_t length) -> const Sample* {
    if constexpr (std::is_same_v<Sample, float>)
      if (clip_.stream != nullptr) return streamed(channel, first, length, scratch);
    return unrolled<Sample>(samples, first, length, scratch);
  };
  const bool exact = walk.step == unity_step && walk.step_change == 0 && walk.position == 0;
  if (exact) {
    const Sample* source = samples_from(whole, span);
    if constexpr (std::is_same_v<Sample, float>)
      std::copy_n(source, count, out);
    else
      kernels::widen(source, out, count);
    return;
  }
  const auto fastest = std::max(walk.step, walk.step + static_cast<std::uint64_t>(walk.step_change) * static_cast<std::uint64_t>(count));
  const kernels::TapFilter filter = filter_for(fastest, quality_);
  const std::int64_t before = filter.reach();
  const Sample* from = samples_from(whole - before, span + 2 * before);
  const Sample* end = from == scratch.data() ? scratch.data() + scratch.size() : samples + clip_.kept + reach;
  kernels::resample(filter, from + before, end, walk, out, count);
}

/// Goes on through the clip for so many frames, or to its end: a pitch that moves does so a quantum at a time. Each piece is read
/// before it is passed. Returns how many frames there were.
template <class Read>
int Voice::go_through(int frames, const Warp* warp, Read&& read) {
  if (warp != nullptr) return go_bent(frames, *warp, read);
  int done = 0;
  for (int wanted = 0, there = 0; done < frames && there == wanted; done += there) {
    wanted = step_.moving() ? std::min(quantum, frames - done) : frames - done;
    const auto step = static_cast<std::uint64_t>(step_.value);
    Ramp later = step_;
    later.advance(wanted);
    const auto step_change = step_.moving() ? static_cast<std::int64_t>((later.value - step_.value) / wanted) : 0;
    there = source_frames_left(step, step_change, wanted);
    if (there == 0) break;
    const std::uint64_t travelled = travel(step, step_change, there);
    read(kernels::Walk{position_ & (unity_step - 1), step, step_change}, travelled, done, there);
    position_ += travelled;
    if (there < wanted) (later = step_).advance(there);
    step_ = later;
  }
  return done;
}

/// The same for a quantum of a scope that is not at full speed.
template <class Read>
int Voice::go_bent(int frames, const Warp& warp, Read&& read) {
  const int there = source_frames_left(warp.step, warp.change, frames);
  if (there == 0) return 0;
  const std::uint64_t travelled = there == warp.frames ? warp.travelled : travel(warp.step, warp.change, there);
  read(kernels::Walk{position_ & (unity_step - 1), warp.step, warp.change}, travelled, 0, there);
  position_ += travelled;
  step_.advance(there);
  return there;
}

void Voice::read_source(const kernels::Walk& walk, std::uint64_t travelled, int count, float* left, float* right) const {
  const auto span = static_cast<std::int64_t>((walk.position + travelled) >> position_bits) + 1;
  for (std::size_t channel = 0; channel < 2; ++channel) {
    float* to = channel == 0 ? left : right;
    if (clip_.floats[channel] != nullptr)
      read_channel(channel, clip_.floats[channel], walk, span, count, to);
    else if (clip_.shorts[channel] != nullptr)
      read_channel(channel, clip_.shorts[channel], walk, span, count, to);
  }
}

void Voice::wrap_position() {
  if (clip_.stream != nullptr) {
    if (static_cast<std::int64_t>(position_ >> position_bits) > 2 * stream_turn) {
      position_ -= static_cast<std::uint64_t>(stream_turn) << position_bits;
      turned_ += stream_turn;
    }
    return clip_.stream->pass(source_frame());
  }
  if (!loop_) return;
  // One round is kept, so that what lies before the seam is still the loop's end and not the silence before its head.
  const std::uint64_t round = static_cast<std::uint64_t>(clip_.frames - clip_.loop_from) << position_bits;
  const std::uint64_t kept = (static_cast<std::uint64_t>(reach + clip_.frames) << position_bits);
  if (position_ > kept) position_ -= (position_ - kept + round - 1) / round * round;
}

/// Whether the samples for so many more frames are there.
bool Voice::has_ahead(std::int64_t frames, double speed) const {
  const std::int64_t first = source_frame() - reach;
  std::int64_t end = source_frame() + reach + 1 +
                     static_cast<std::int64_t>(std::max(step_.value, step_.target) * speed / static_cast<double>(unity_step) *
                                               static_cast<double>(frames));
  if (!loop_) end = std::min(end, clip_.frames);
  return end <= clip_.kept || clip_.stream->holds(std::max(first, clip_.kept), end);
}

/// Whether so many frames can be mixed without a thought of the stream being late.
bool Voice::flows(int frames) const {
  return clip_.stream == nullptr || (flow_.value() == 1 && !flow_.moving() && has_ahead(frames + shortest_ + quantum));
}

/// A stream that is late fades out while it still can, keeps its time in silence, and fades in again.
void Voice::tend_flow(int frames, MixFrame now, double speed) {
  if (clip_.stream == nullptr || held_) return;
  const bool late = flow_.target() == 0;
  const bool enough = has_ahead(frames + shortest_ + quantum + (late ? enough_ahead : 0), speed);
  if (late == !enough) {
    if (late && clip_.stream->late_since() == StreamRing::never) clip_.stream->note_late(now);
    return;
  }
  flow_.go(enough ? 1 : 0, shortest_, shortest_);
  if (enough && clip_.stream->late_since() != StreamRing::never) clip_.stream->note_back(now);
  if (!enough) clip_.stream->note_late(now);
}

MixFrame Voice::mix_into(const Bus& bus, ChannelGains& channels, MixFrame at, ScopeFrame now, int frames) {
  if (start_frame_ >= now + frames && fade_out_length_ == 0 && stop_frame_ >= now + frames) return plays_on;
  const Into into{bus, channels};
  for (int done = 0; done < frames;) {
    // A beginning and an end are followed a quantum at a time, on the clock's own grid.
    const bool whole = fade_out_length_ == 0 && stop_frame_ >= now + frames && lift_frame_ >= now + frames && start_frame_ <= now + done &&
                       flows(frames - done);
    const int piece = whole ? frames - done : quantum;
    const auto part = [&](int from, int count) { return mix_piece(into, done + from, at + (done + from), now + (done + from), count); };
    const auto until = [&](ScopeFrame frame) { return static_cast<int>(std::max<std::int64_t>(0, frame - (now + done))); };
    const bool stops = stop_frame_ < now + (done + piece), lifts = lift_frame_ < now + (done + piece);
    if (stops && lifts) begin_lift();  // a quantum has one of them
    const MixFrame end = stops   ? mix_to_stop(at + done, until(stop_frame_), part)
                         : lifts ? mix_to_lift(until(lift_frame_), part)
                                 : part(0, piece);
    if (end != plays_on) return end;
    done += piece;
  }
  return plays_on;
}

template <class Part>
MixFrame Voice::mix_to_stop(MixFrame at, int before, Part part) {
  if (stop_frame_ <= start_frame_) {
    active_ = false;  // it is never heard
    return at + before;
  }
  if (before > 0)
    if (const MixFrame end = part(0, before); end != plays_on) return end;
  begin_stop(stop_fade_, stop_law_);
  return before < quantum ? part(before, quantum - before) : plays_on;
}

template <class Part>
MixFrame Voice::mix_to_lift(int before, Part part) {
  if (before > 0)
    if (const MixFrame end = part(0, before); end != plays_on) return end;
  begin_lift();
  return part(before, quantum - before);
}

MixFrame Voice::mix_piece(const Into& into, int at, MixFrame mixed, ScopeFrame now, int frames) {
  const std::int64_t offset = std::max<std::int64_t>(0, start_frame_ - now);
  if (offset > 0 && fade_out_length_ > 0) {
    active_ = false;  // stopped before it was heard
    return mixed;
  }
  if (offset >= frames) return plays_on;
  return mix_count(into, at + static_cast<int>(offset), mixed + offset, frames - static_cast<int>(offset), nullptr);
}

MixFrame Voice::mix_bent(const Bus& bus, ChannelGains& channels, MixFrame at, const BentTime& time, int offset) {
  const std::int64_t begins = start_frame_.value << scale_bits;
  const std::int64_t span = time.end - time.begin;
  const bool begun = begins <= time.begin;
  if (!begun && fade_out_length_ > 0) {
    active_ = false;  // stopped before it was heard
    return at;
  }
  if (lift_frame_.value < (time.end + unity_scale - 1) >> scale_bits) begin_lift();
  const int before = begun ? 0 : begins >= time.end ? quantum : static_cast<int>(((begins - time.begin) * quantum + span - 1) / span);
  if (before >= quantum) return plays_on;
  const int count = quantum - before;
  const auto now = static_cast<std::int64_t>(step_.value);
  Ramp later = step_;
  later.advance(quantum);
  const auto then = static_cast<std::int64_t>(later.value);
  const std::int64_t farthest = fastest_step * count;
  Warp warp;
  warp.frames = count;
  warp.fastest = static_cast<double>(std::max(time.first_scale, time.last_scale)) / static_cast<double>(unity_scale);
  const std::int64_t mean = step_.moving() ? (now + then) / 2 : now;
  const std::int64_t travelled = std::clamp<std::int64_t>((mean * (begun ? span : time.end - begins)) >> scale_bits, count, farthest);
  // The steps must add up to `travelled`: otherwise the position would jump at the end of the quantum.
  warp.change = (scaled(then, time.last_scale) - scaled(now, time.first_scale)) / quantum;
  const std::int64_t first = travelled / count - warp.change * (count - 1) / 2;
  if (first < 1 || first + warp.change * count < 1) warp.change = 0;
  warp.step = static_cast<std::uint64_t>(warp.change == 0 ? travelled / count : first);
  warp.travelled = static_cast<std::uint64_t>(travelled);
  const Into into{bus, channels};
  if (stop_frame_.value >= (time.end + unity_scale - 1) >> scale_bits) return mix_count(into, offset + before, at + before, count, &warp);
  const std::int64_t until = (stop_frame_.value << scale_bits) - time.begin;
  const auto stops = until <= 0 ? 0 : static_cast<int>((until * quantum + span - 1) / span);
  return mix_to_stop(at, std::max(before, stops), [&](int from, int frames_of_part) -> MixFrame {
    // The part before the stop begins with the sound, and the part after it goes on where that one ended.
    const int first_frame = std::max(from, before), frames_there = from + frames_of_part - first_frame;
    if (frames_there <= 0) return plays_on;
    Warp rest = warp;
    const std::uint64_t gone = travel(warp.step, warp.change, first_frame - before);
    rest.step += static_cast<std::uint64_t>(warp.change * (first_frame - before));
    rest.frames -= first_frame - before;
    rest.travelled -= gone;
    return mix_count(into, offset + first_frame, at + first_frame, frames_there, &rest);
  });
}

MixFrame Voice::mix_count(const Into& into, int at, MixFrame mixed, int count, const Warp* warp) {
  if (fade_out_length_ > 0) count = static_cast<int>(std::min<std::int64_t>(count, leaving_left()));
  tend_flow(count, mixed, warp == nullptr ? 1 : warp->fastest);
  const bool leaves = fade_out_length_ > 0 && leaving_left() <= count;
  int heard = 0;
  if (flow_.value() == 0 && !flow_.moving()) {
    heard = go_through(count, warp, unread);
    move_on(heard);
  } else {
    heard = mix_heard(into, at, count, warp);
  }
  wrap_position();
  if (heard == count && !leaves) return plays_on;
  active_ = false;
  return mixed + heard;
}

/// What is left of the clip, for so many frames. Returns how many there were.
int Voice::mix_heard(const Into& into, int at, int count, const Warp* warp) {
  alignas(64) std::array<float, most_run> made_left;
  alignas(64) std::array<float, most_run> made_right;
  const bool mono = clip_.mono();
  const float* left = filtered_ || !mono || warp != nullptr ? nullptr : exact_source(count);
  int heard = 0;
  if (left != nullptr) {
    heard = go_through(count, warp, unread);
  } else {
    left = made_left.data();
    heard = go_through(count, warp, [&](const kernels::Walk& walk, std::uint64_t travelled, int from, int there) {
      read_source(walk, travelled, there, made_left.data() + from, made_right.data() + from);
    });
  }
  if (heard == 0) return 0;
  if (filtered_) {
    for (StateFilter* filter : {&low_pass_, &high_pass_})
      if (filter->active()) whole_ = filter->run(made_left.data(), mono ? nullptr : made_right.data(), heard) && whole_;
    filtered_ = low_pass_.active() || high_pass_.active();
  }
  if (!in_world_) {
    add_to(into.bus.channel(0) + at, into.bus.channel(1) + at, left, mono ? left : made_right.data(), heard);
    return heard;
  }
  // One thing at one place: its two channels come from there as one.
  constexpr float half_power = 0.70710678F;
  for (std::size_t i = 0; !mono && i < static_cast<std::size_t>(heard); ++i) made_left[i] = (made_left[i] + made_right[i]) * half_power;
  add_to_channels(into, at, left, heard);
  return heard;
}

/// The clip's own samples, where they are what is heard.
const float* Voice::exact_source(int count) const {
  const auto whole = static_cast<std::int64_t>(position_ >> position_bits);
  if (clip_.floats[0] == nullptr || clip_.stream != nullptr || step_.moving() || static_cast<std::uint64_t>(step_.value) != unity_step ||
      (position_ & (unity_step - 1)) != 0)
    return nullptr;
  const std::int64_t at = loop_ ? clip_.folded(whole) : whole;
  return at + count <= clip_.frames ? clip_.floats[0] + at : nullptr;
}

void Voice::prefetch(int frames, int part, const ChannelGains& channels) const {
  constexpr std::ptrdiff_t line = 64;
  if (in_world_ && part == 0)
    for (std::size_t at = 0; at < sizeof(channels); at += line) __builtin_prefetch(reinterpret_cast<const char*>(&channels) + at);
  constexpr std::ptrdiff_t lines_a_part = 12;
  const auto bytes_a_frame = static_cast<std::ptrdiff_t>(clip_.floats[0] != nullptr ? sizeof(float) : sizeof(std::int16_t));
  const auto* memory =
      clip_.floats[0] != nullptr ? reinterpret_cast<const char*>(clip_.floats[0]) : reinterpret_cast<const char*>(clip_.shorts[0]);
  if (memory == nullptr || clip_.stream != nullptr) return;
  std::int64_t whole = static_cast<std::int64_t>(position_ >> position_bits);
  if (loop_) whole = clip_.folded(whole);
  // Filters of ordinary speeds reach so far to either side.
  constexpr std::ptrdiff_t around = 12;
  const auto span = static_cast<std::ptrdiff_t>(step_.value / static_cast<double>(unity_step) * frames) + 2 * around;
  const char* const begin = memory + (whole - around) * bytes_a_frame;
  const std::ptrdiff_t first = part * lines_a_part;
  const std::ptrdiff_t end = std::min(first + lines_a_part, span * bytes_a_frame / line + 1);
  for (std::ptrdiff_t i = first; i < end; ++i) __builtin_prefetch(begin + i * line);
}

}  // namespace tidewater
