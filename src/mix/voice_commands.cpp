/// Commands to a voice: start, stop, changes, hold and resume.

#include <algorithm>
#include <utility>

#include "mix/stream_ring.hpp"
#include "mix/voice.hpp"

namespace tidewater {
namespace {

/// More frames than any change takes.
constexpr std::int64_t all_of_it = std::int64_t{1} << 40;

/// Fades are no longer than this: hours at any rate.
constexpr std::int64_t longest_fade = std::int64_t{1} << 30;

}  // namespace

void Voice::start(const StartVoice& command, ScopeFrame now, double rate) {
  *this = Voice{};
  clip_ = command.clip;
  loop_ = command.loop && command.clip.frames > 0;
  const std::int64_t whole = std::max<std::int64_t>(0, command.position.whole);
  if (command.clip.stream != nullptr) turned_ = whole / stream_turn * stream_turn;
  position_ = (static_cast<std::uint64_t>(whole - turned_) << position_bits) | command.position.part;
  wrap_position();
  step_ = Ramp::at(static_cast<double>(command.step));
  shortest_ = shortest_change(rate);
  gain_ = Smooth::at(static_cast<double>(command.gain));
  lifted_ = command.lift != 1;
  if (lifted_) lift_.begin({command.lift});
  side_ = Smooth::at(static_cast<double>(command.side));
  in_world_ = command.in_world;
  fold_ = command.fold;
  start_frame_ = std::max(now, command.start_frame + std::max<std::int64_t>(0, now - command.base));
  // A start inside a wave clicks without a fade, and so does one that is too short; a clip's own head is as it is.
  const bool within = whole > 0 || command.position.part > 0;
  fade_in_length_ =
      command.fade_in > 0 || within ? static_cast<std::int32_t>(std::clamp<std::int64_t>(command.fade_in, shortest_, longest_fade)) : 0;
  in_law_ = command.law;
  quality_ = command.quality;
  group_ = command.group;
  scope_ = static_cast<std::uint8_t>(command.scope);
  active_ = true;
  low_pass_.begin(static_cast<double>(command.low_pass), rate);
  high_pass_.begin(static_cast<double>(command.high_pass), rate);
  filtered_ = low_pass_.active() || high_pass_.active();
  pan_ = gains();
  // From its head it starts at once; from further on when the first samples are there.
  flow_ = Smooth::at(clip_.stream == nullptr || source_frame() + quantum < clip_.kept ? 1 : 0);
}

void Voice::stop(const StopVoice& how, ScopeFrame now) {
  const auto fade = static_cast<std::int32_t>(std::clamp<std::int64_t>(how.fade, shortest_, longest_fade));
  if (how.at <= now) return begin_stop(fade, how.law);
  stop_frame_ = how.at;
  stop_fade_ = fade;
  stop_law_ = how.law;
}

void Voice::begin_stop(std::int32_t fade, FadeLaw law) {
  stop_frame_ = ScopeFrame::never();
  if (fade_out_length_ == 0) {
    fade_out_length_ = fade_out_left_ = fade;
    out_law_ = law;
  } else if (leaving_left() > fade) {
    // It was to leave more slowly: what is left of that goes on, under a quicker fade.
    cut_.go(0, fade, shortest_);
    cut_left_ = cut_.left();  // as long as it really takes: cut before, its last hundredth would be a step
  }
}

void Voice::set_gain(float gain, std::int64_t ramp, ScopeFrame now) {
  gain_.go(static_cast<double>(gain), ramp, shortest_);
  if (ramp == 0 && start_frame_ >= now) gain_ = Smooth::at(static_cast<double>(gain));
}

void Voice::set_lift(const SetVoiceLift& how, ScopeFrame now) {
  lift_frame_ = ScopeFrame::never();
  if (how.at <= now) return begin_lift(how.lift, how.ramp, now);
  lift_frame_ = how.at;
  lift_next_ = how.lift;
  lift_ramp_ = static_cast<std::int32_t>(std::min<std::int64_t>(how.ramp, longest_fade));
}

void Voice::begin_lift(float lift, std::int64_t ramp, ScopeFrame now) {
  if (!std::exchange(lifted_, true)) lift_.begin({1});
  if (ramp == 0 && start_frame_ >= now)
    lift_.begin({lift});
  else
    lift_.go({lift}, ramp, shortest_);
}

void Voice::set_step(std::uint64_t step, std::int64_t ramp, ScopeFrame now) {
  step_.go(static_cast<double>(step), ramp == 0 && start_frame_ >= now ? 0 : std::max<std::int64_t>(ramp, shortest_));
}

void Voice::set_side(float side, std::int64_t ramp, ScopeFrame now) {
  side_.go(static_cast<double>(side), ramp, shortest_);
  if (ramp == 0 && start_frame_ >= now) side_ = Smooth::at(static_cast<double>(side));
  pan_ = gains();
}

void Voice::set_channels(ChannelGains& channels, const Amplitudes& gains, std::int64_t ramp, ScopeFrame now) const {
  if (ramp == 0 && start_frame_ >= now)
    channels.begin(gains);
  else
    channels.go(gains, ramp, shortest_);
}

void Voice::set_filter(StateFilter::Kind kind, float hertz, double rate, std::int64_t ramp, ScopeFrame now) {
  StateFilter& filter = kind == StateFilter::Kind::low_pass ? low_pass_ : high_pass_;
  if (ramp == 0 && start_frame_ >= now)
    filter.begin(static_cast<double>(hertz), rate);
  else
    filter.tune(static_cast<double>(hertz), rate, ramp);
  filtered_ = low_pass_.active() || high_pass_.active();
}

void Voice::hold(std::int64_t fade, ScopeFrame now) {
  held_ = true;
  if (start_frame_ >= now)
    flow_ = Smooth::at(0);
  else
    flow_.go(0, fade, shortest_);
}

void Voice::resume(std::int64_t fade, ScopeFrame now) {
  held_ = false;
  // A late stream fades in by itself when enough frames have been read.
  if (clip_.stream != nullptr && (clip_.stream->late_since() != StreamRing::never || !has_ahead(shortest_ + 2 * quantum))) return;
  if (start_frame_ >= now)
    flow_ = Smooth::at(1);
  else
    flow_.go(1, fade, shortest_);
}

void Voice::finish_changes(ChannelGains& channels) {
  gain_.advance(all_of_it);
  if (lifted_) lift_.advance(all_of_it);
  if (in_world_) channels.advance(all_of_it);
  step_.advance(all_of_it);
  side_.advance(all_of_it);
  pan_ = gains();
  low_pass_.finish(), high_pass_.finish();
  filtered_ = low_pass_.active() || high_pass_.active();
}

}  // namespace tidewater
