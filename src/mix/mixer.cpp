#include "mix/mixer.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <memory>

#include "base/hold_up.hpp"
#include "dsp/flush_denormals.hpp"
#include "dsp/kernels.hpp"
#include "dsp/resample.hpp"

namespace tidewater {
namespace {

constexpr std::size_t late_capacity = 256;
constexpr MixFrame as_soon_as_possible{-1};
/// The lower bits of a moment: frames of the call that is running. Above them the clock, for eleven years at 48 kHz.
constexpr int call_bits = 20;
constexpr std::int64_t longest_call = (std::int64_t{1} << call_bits) - 1;
constexpr std::size_t alignment = 16;  // floats

}  // namespace

Mixer::Mixer(const MixerOptions& options)
    : options_(options),
      width_(static_cast<std::size_t>(std::max(2, channels(options.layout)))),
      limiter_(options.rate, width_),
      voices_(options.voices),
      channels_(options.voices),
      samples_(std::make_unique<float[]>((most_groups + 1) * width_ * most_run + alignment)),
      groups_(std::make_unique<Group[]>(most_groups)),
      clocks_(std::make_unique<Clock[]>(most_scopes)),
      meters_(std::make_unique<Meter[]>(most_groups)),
      commands_(3 * commands_a_block),  // those of the block that is rendered, of the next and of the one after it: never full
      finished_(options.voices + 1),    // a voice is started again only after its last report was taken: never overflows
      late_(late_capacity),
      to_skip_(options.limiter ? Limiter::delay : 0) {
  void* first = samples_.get();
  std::size_t room = ((most_groups + 1) * width_ * most_run + alignment) * sizeof(float);
  std::align(alignment * sizeof(float), sizeof(float), first, room);
  for (std::uint32_t g = 0; g < most_groups; ++g) groups_[g].bus.first = static_cast<float*>(first) + g * width_ * most_run;
  output_.first = static_cast<float*>(first) + most_groups * width_ * most_run;
  groups_[0].used = true;
  prepare_filters();
}

bool Mixer::post(const Command& command, std::uint64_t request, MixFrame lands) {
  if (!commands_.try_emplace(request, lands, command)) return false;
  ++posted_;
  return true;
}

bool Mixer::post(const Command& command) {
  const bool posted = post(command, 0, as_soon_as_possible);
  commit();
  return posted;
}

std::vector<Mixer::Posted> Mixer::take_posted() {
  std::vector<Posted> posted;
  for (Posted next; commands_.try_dequeue(next);) posted.push_back(next);
  return posted;
}

void Mixer::put_posted(const std::vector<Posted>& posted) {
  for (const Posted& its : posted) commands_.enqueue(its);
}

bool Mixer::poll(VoiceFinished& report, MixFrame at) {
  const VoiceFinished* next = finished_.peek();
  return next != nullptr && next->known <= at && finished_.try_dequeue(report);
}

Mixer::Moment Mixer::moment() const {
  const std::uint64_t word = moment_.load(std::memory_order_acquire);
  const MixFrame at{static_cast<std::int64_t>(word >> call_bits)};
  return {at, at + static_cast<std::int64_t>(word & longest_call)};
}

GroupMeter Mixer::read_meter(std::uint32_t group) {
  return {meters_[group].peak.exchange(0, std::memory_order_relaxed), meters_[group].rms.load(std::memory_order_relaxed)};
}

void Mixer::watch_loudness(std::uint32_t group, bool on) {
  if (loudness_meters_[group] == nullptr) loudness_meters_[group] = std::make_unique<LoudnessMeter>(options_.rate, options_.layout);
  const std::uint64_t bit = std::uint64_t{1} << group;
  if (on)
    loudness_watched_.fetch_or(bit, std::memory_order_release);
  else
    loudness_watched_.fetch_and(~bit, std::memory_order_release);
}

/// Computes the times of each scope in the next run.
void Mixer::wind_clocks(int frames) noexcept {
  for (std::uint32_t scope = 0; scope < clocks_used_; ++scope) {
    Clock& clock = clocks_[scope];
    if (!clock.used) continue;
    clock.law = clock.law.without_past(rendered_);
    clock.quanta = 0;
    clock.plain = clock.law.is_plain(rendered_) && clock.time == clock.law.time_at(rendered_);
    if (clock.plain) continue;
    ScopeLaw law = clock.law;
    law.holds_at = MixFrame::never();
    std::int64_t time = clock.time;
    for (MixFrame at = rendered_; at < rendered_ + frames && at < clock.holds_at; at += quantum) {
      BentTime& its = clock.bent[static_cast<std::size_t>(clock.quanta++)];
      its = {time, std::max(time, law.time_at(at + quantum)), law.scale_at(at), law.scale_at(at + quantum)};
      time = its.end;
    }
  }
}

void Mixer::note_late(const Posted& posted, MixFrame landed) noexcept {
  if (posted.request == last_late_) return;
  last_late_ = posted.request;
  const bool told = late_.try_enqueue(CameLate{posted.request, landed});
  if (!told) lost_late_.fetch_add(1, std::memory_order_relaxed);
  count_report(told);
}

void Mixer::end() {
  for (const Posted* next = nullptr; (next = commands_.peek()) != nullptr; commands_.pop())
    if (next->lands != as_soon_as_possible && changes_from(next->lands) < rendered_) note_late(*next, call_ends_);
}

/// Carries out what is due, and returns how many of so many frames can be mixed until more is.
int Mixer::carry_out_due(int frames) noexcept {
  for (Posted* next = nullptr; taken_ < may_take_ && (next = commands_.peek()) != nullptr; commands_.pop(), ++taken_) {
    const MixFrame from = next->lands == as_soon_as_possible ? rendered_ : changes_from(next->lands);
    if (from > rendered_) return static_cast<int>(std::min<std::int64_t>(frames, from - rendered_));
    if (from < rendered_) note_late(*next, call_begins_);
    carry_out(next->command);
  }
  return frames;
}

void Mixer::render_run(int frames) noexcept {
  const auto bytes = static_cast<std::size_t>(frames) * sizeof(float);
  for (std::uint32_t g = 0; g < most_groups; ++g) {
    if (!groups_[g].used) continue;
    Group& group = groups_[g];
    // A pair is quiet until something comes; but a filter goes on, and what it still has of a pair is heard.
    group.heard = front;
    for (std::size_t pair = 0; pair < width_ / 2; ++pair) {
      if (group.filters[pair].active()) group.heard |= front << (2 * pair);
      if ((group.heard >> (2 * pair) & front) != 0) clear(group, pair, frames);
    }
  }
  for (std::size_t channel = 0; channel < width_; ++channel) std::memset(output_.channel(channel), 0, bytes);
  mix_voices(frames);
  for (std::uint32_t scope = 0; scope < clocks_used_; ++scope) {
    Clock& clock = clocks_[scope];
    if (!clock.used) continue;
    if (clock.plain)
      clock.time += static_cast<std::int64_t>(frames) << scale_bits;
    else if (clock.quanta > 0)
      clock.time = clock.bent[static_cast<std::size_t>(clock.quanta - 1)].end;
  }
  mix_groups(frames);
  if (options_.layout == Layout::mono) {
    constexpr float fold = 0.70710678F;
    float* const left = output_.channel(0);
    float* const right = output_.channel(1);
    for (int i = 0; i < frames; ++i) left[i] = right[i] = (left[i] + right[i]) * fold;
  }
  if (!options_.limiter) mend_output(frames);  // the limiter mends what it gets
  if (options_.limiter)
    for (int at = 0; at < frames; at += quantum) limiter_.run(output_.first + at, most_run, quantum);
  rendered_ += frames;
  const int skipped = std::min(to_skip_, frames);
  to_skip_ -= skipped;
  output_size_ = frames;
  output_left_ = frames - skipped;
}

/// Returns the frame on which the voice ended, or `plays_on`.
MixFrame Mixer::mix_voice(Voice& voice, ChannelGains& channels, int frames) noexcept {
  const Bus& bus = groups_[voice.group()].bus;
  const Clock& clock = clocks_[voice.scope()];
  if (clock.plain) return voice.mix_into(bus, channels, rendered_, now_of(voice.scope()), frames);
  for (int done = 0; done < frames; done += quantum) {
    const auto which = static_cast<std::size_t>(done / quantum);
    if (static_cast<int>(which) == clock.quanta) {
      if (!voice.leaves()) return Voice::plays_on;
      voice.give_up();
      return rendered_ + done;
    }
    const BentTime& time = clock.bent[which];
    constexpr std::int64_t whole = quantum * unity_scale;
    const bool as_the_mixer = time.end - time.begin == whole && time.first_scale == unity_scale && time.last_scale == unity_scale &&
                              time.begin % unity_scale == 0;
    const MixFrame end = as_the_mixer ? voice.mix_into(bus.from(done), channels, rendered_ + done, {time.begin >> scale_bits}, quantum)
                                      : voice.mix_bent(bus, channels, rendered_ + done, time, done);
    if (end != Voice::plays_on) return end;
  }
  return Voice::plays_on;
}

void Mixer::mix_voices(int frames) noexcept {
  sounding_ = false;
  wind_clocks(frames);
  constexpr std::size_t ahead = 3;  // voices whose memory is on its way while one is mixed
  for (std::size_t v = 0; v < voices_.size(); ++v) {
    if (v + 2 * ahead < voices_.size())
      for (std::size_t line = 0; line < Voice::hot_lines; ++line)
        __builtin_prefetch(reinterpret_cast<const char*>(&voices_[v + 2 * ahead]) + line * 64);
    for (std::size_t part = 0; part < 2; ++part)
      if (const std::size_t next = v + ahead - part; next < voices_.size() && voices_[next].active())
        voices_[next].prefetch(frames, static_cast<int>(part), channels_[next]);
    Voice& voice = voices_[v];
    if (!voice.active()) continue;
    const Clock& clock = clocks_[voice.scope()];
    if (!clock.plain && clock.quanta == 0 && !voice.leaves()) continue;  // the scope is on hold
    if (voice.in_world()) {
      Group& group = groups_[voice.group()];
      Channels which = 0;
      for (std::size_t c = 2; c < width_; ++c) which |= channels_[v].heard(c) ? Channels{1} << c : 0;
      open(group, which, frames);
    }
    const Bus& bus = groups_[voice.group()].bus;
    if (tap_ != nullptr) tap_->before(bus, frames);
    const MixFrame end = mix_voice(voice, channels_[v], frames);
    if (tap_ != nullptr) tap_->voice_added(static_cast<std::uint32_t>(v), rendered_, bus, frames);
    // Looks at the end of the run, because the result must not depend on how frames are divided into runs.
    sounding_ = sounding_ || (voice.active() && clock.holds_at > rendered_ + frames);
    if (!voice.whole()) broken_group_.store(voice.group(), std::memory_order_relaxed);
    if (end != Voice::plays_on)
      count_report(finished_.try_enqueue(VoiceFinished{static_cast<std::uint32_t>(v), end, voice.position(), call_ends_}));
  }
}

void Mixer::hand_out(float* to, int from, int count) const noexcept {
  const int width = channels(options_.layout);
  if (width == 2) {
    const float* const left = output_.channel(0);
    const float* const right = output_.channel(1);
    for (int i = from; i < from + count; ++i, to += 2) to[0] = left[i], to[1] = right[i];
    return;
  }
  for (int channel = 0; channel < width; ++channel) {
    const float* const samples = output_.channel(static_cast<std::size_t>(channel));
    for (int i = 0; i < count; ++i) to[i * width + channel] = samples[from + i];
  }
}

void Mixer::render(std::span<float> out) noexcept {
  const FlushDenormals flush;
  const auto width = static_cast<std::int64_t>(channels(options_.layout));
  const auto wanted = static_cast<std::int64_t>(out.size()) / width;
  for (std::int64_t done = 0; done < wanted; done += longest_call)
    render_call(out.data() + done * width, std::min(longest_call, wanted - done));
  std::fill(out.begin() + wanted * width, out.end(), 0.0F);
}

void Mixer::render_call(float* out, std::int64_t wanted) noexcept {
  const auto width = static_cast<std::int64_t>(channels(options_.layout));
  call_begins_ = call_ends_;
  call_ends_ += wanted;
  const auto publish = [this](MixFrame at) {
    moment_.store(static_cast<std::uint64_t>(at.value) << call_bits | static_cast<std::uint64_t>(call_ends_ - at),
                  std::memory_order_release);
  };
  // What is asked from here on lands at the end of this call. What was asked before is taken now, in whole requests.
  publish(call_begins_);
  hold_up(HoldUp::audio_published);
  may_take_ = committed_.load(std::memory_order_acquire);
  hold_up(HoldUp::audio_took);
  for (std::int64_t done = 0; done < wanted;) {
    while (output_left_ == 0) {
      // The fewest quanta that hold what is still wanted: never ahead of need by more than part of one.
      const std::int64_t needed = wanted - done + to_skip_;
      render_run(carry_out_due(static_cast<int>(std::min<std::int64_t>(most_run, (needed + quantum - 1) / quantum * quantum))));
    }
    const int count = static_cast<int>(std::min<std::int64_t>(output_left_, wanted - done));
    hand_out(out + done * width, output_size_ - output_left_, count);
    output_left_ -= count;
    done += count;
  }
  hold_up(HoldUp::audio_ends);
  publish(call_ends_);
  hold_up(HoldUp::audio_next);
}

}  // namespace tidewater
