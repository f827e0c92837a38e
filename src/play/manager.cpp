#include "tidewater/manager.hpp"

#include <algorithm>
#include <chrono>

#include "base/fail.hpp"
#include "play/asking.hpp"
#include "play/background.hpp"
#include "play/beats.hpp"
#include "play/control.hpp"
#include "play/raising.hpp"
#include "play/save.hpp"
#include "play/turn.hpp"

namespace tidewater {
namespace {

using Lock = std::unique_lock<std::mutex>;

}  // namespace

SoundManager::SoundManager(ManagerOptions options) : WorldCalls(std::make_unique<Control>(std::move(options))) {}

SoundManager::~SoundManager() {
  control_->library.reader.stop();
  // What a sink throws at the very end has nobody to tell.
  problem_of([&] {
    {
      control_->noting.link.mixer().end();
      const Asking asking(*control_);
      control_->settle();
      control_->noting.finish();
    }
    control_->handing.run(*control_, {});
    return std::string();
  });
}

void SoundManager::load(const Bank& bank, Preload preload) {
  if (const std::string problem = try_load(bank, preload); !problem.empty()) fail(problem);
}

std::string SoundManager::try_load(const Bank& bank, Preload preload) { return load_now(*control_, bank, preload, LoadHow::new_one); }

BankLoading SoundManager::load_in_background(const Bank& bank, Preload preload) {
  return begin_to_load(*control_, bank, preload, LoadHow::new_one);
}

void SoundManager::reload(const Bank& bank, Preload preload) {
  if (const std::string problem = try_reload(bank, preload); !problem.empty()) fail(problem);
}

std::string SoundManager::try_reload(const Bank& bank, Preload preload) { return load_now(*control_, bank, preload, LoadHow::in_place); }

BankLoading SoundManager::reload_in_background(const Bank& bank, Preload preload) {
  return begin_to_load(*control_, bank, preload, LoadHow::in_place);
}

std::span<const LoadedBank> SoundManager::finished_loads() const { return control_->library.loads.told; }

bool SoundManager::read_for(Seconds budget) {
  return control_->library.reader.read_for(
      std::chrono::nanoseconds(static_cast<std::int64_t>(1e9 * std::clamp(budget.value, 0.0, 3600.0))));
}

bool SoundManager::unload(std::string_view name, WhatPlays what_plays) {
  const Lock one_at_a_time(control_->library.loaded.loading());
  Loading loading = control_->library.loaded.prepare_to_unload(name);
  const Asking asking(*control_);
  return control_->settle_and_ask(asked::Unload{name, what_plays}, {.loading = &loading}) == Outcome::done;
}

Raised SoundManager::raise(EventName event, std::span<const Trait> traits, Emitter emitter) {
  asked::Raise what{.event = event, .emitter = emitter, .traits = traits};
  return raise_for_game(*control_, what);
}

Raised SoundManager::raise(EventName event, std::span<const Trait> traits, Emitter emitter, const RaiseChanges& changes) {
  asked::Raise what{.event = event, .emitter = emitter, .traits = traits, .scope = changes.scope, .delay = changes.delay};
  return raise_for_game(*control_, what);
}

Raised SoundManager::raise(EventName event, std::span<const Trait> traits, const Place& place) {
  asked::Raise what{.event = event, .place = place, .traits = traits};
  return raise_for_game(*control_, what);
}

Raised SoundManager::raise(EventName event, std::span<const Trait> traits, const Place& place, const RaiseChanges& changes) {
  asked::Raise what{.event = event, .place = place, .traits = traits, .scope = changes.scope, .delay = changes.delay};
  return raise_for_game(*control_, what);
}

void SoundManager::update(Seconds elapsed) {
  std::unique_lock updating(control_->updating);
  hold_up(HoldUp::update_begins);
  control_->begin_update();
  hold_up(HoldUp::update_closes);
  finish_update(*control_, elapsed, std::move(updating));
  hold_up(HoldUp::update_ended);
}

Outcome SoundManager::prefetch(EventName event) { return ask(*control_, asked::Prefetch{event}); }

Outcome SoundManager::set_gain(GroupName group, Decibels gain, Seconds time) { return ask(*control_, asked::SetGain{group, gain, time}); }

Outcome SoundManager::set_mute(GroupName group, bool mute) { return ask(*control_, asked::SetMute{group, mute}); }

Outcome SoundManager::set_low_pass(GroupName group, Hertz frequency, Seconds time) {
  return ask(*control_, asked::SetLowPass{group, frequency, time});
}

Outcome SoundManager::set_high_pass(GroupName group, Hertz frequency, Seconds time) {
  return ask(*control_, asked::SetHighPass{group, frequency, time});
}

std::optional<GroupState> SoundManager::group(GroupName group) const {
  const Lock lock(control_->mutex);
  const std::uint32_t number = control_->groups.names().find(group);
  if (number == Numbers::none) return std::nullopt;
  const Groups::Group& its = control_->groups[number];
  return GroupState{its.now.gain, its.now.muted, its.now.player, its.player.level, its.player.on};
}

Outcome SoundManager::set_mood(MoodName mood, bool on) { return ask(*control_, asked::SetMood{mood, on}); }

bool SoundManager::mood(MoodName mood) const {
  const Lock lock(control_->mutex);
  const std::uint32_t number = control_->groups.moods().names().find(mood);
  return number != Numbers::none && control_->groups.moods().in_force(number);
}

Outcome SoundManager::set_player_level(GroupName group, Share level) { return ask(*control_, asked::SetPlayerLevel{group, level}); }

Outcome SoundManager::set_player_switch(GroupName group, bool on) { return ask(*control_, asked::SetPlayerSwitch{group, on}); }

Share SoundManager::player_level(GroupName group) const {
  const Lock lock(control_->mutex);
  return control_->groups.player(group).level;
}

bool SoundManager::player_switch(GroupName group) const {
  const Lock lock(control_->mutex);
  return control_->groups.player(group).on;
}

std::vector<std::string> SoundManager::offered_groups() const {
  const Lock lock(control_->mutex);
  std::vector<std::string> names;
  for (std::uint32_t number = 0; number < control_->groups.names().size(); ++number)
    if (control_->groups[number].now.player) names.push_back(control_->groups.names().name(number));
  return names;
}

Outcome SoundManager::begin(ScopeName scope) { return ask(*control_, asked::BeginScope{scope}); }

Outcome SoundManager::end(ScopeName scope) { return ask(*control_, asked::EndScope{scope, std::nullopt}); }

Outcome SoundManager::end(ScopeName scope, Seconds fade) { return ask(*control_, asked::EndScope{scope, fade}); }

Outcome SoundManager::pause(ScopeName scope) { return ask(*control_, asked::PauseScope{scope}); }

Outcome SoundManager::resume(ScopeName scope) { return ask(*control_, asked::ResumeScope{scope}); }

Outcome SoundManager::set_time_scale(ScopeName scope, TimeScale scale, Seconds time) {
  return ask(*control_, asked::SetTimeScale{scope, scale, time});
}

Outcome SoundManager::play(TrackName track) { return ask(*control_, asked::Play{track}); }

Outcome SoundManager::leave(StandName stand) { return ask(*control_, asked::Leave{stand, std::nullopt, std::nullopt}); }

Outcome SoundManager::leave(StandName stand, Seconds fade) { return ask(*control_, asked::Leave{stand, std::nullopt, fade}); }

std::optional<Beat> SoundManager::beat(StandName stand, Seconds latency) const {
  const Lock lock(control_->mutex);
  Link& link = control_->noting.link;
  const MixFrame heard{link.mixer().clock().value + link.into_block() - frames(latency, control_->options.rate).value};
  return beat_at(*control_, stand, heard);
}

std::span<const PassedBeat> SoundManager::beats() const { return control_->starter.music.passed(); }

Outcome SoundManager::turn(std::string_view bank, SoundName sound, std::string_view design) {
  return turn_now(*control_, bank, sound, design);
}

Outcome SoundManager::stop_all(Seconds fade) { return ask(*control_, asked::StopAll{fade}); }

void SoundManager::note(std::string_view text) {
  const Lock lock(control_->mutex);
  if (control_->noting.notebook.open() && control_->noting.admits(text.size()))
    control_->noting.tell({.code = Reason::Code::text, .name = control_->noting.notebook.keep(text)});
}

bool SoundManager::plays(SoundName sound, Emitter emitter) const {
  const Lock lock(control_->mutex);
  return control_->library.loaded.any_sound(sound, [&](const LiveSound& its) { return control_->voices.plays(its, emitter); });
}

Playback SoundManager::find(PlaybackId id) {
  const Lock lock(control_->mutex);
  control_->handles.given_by_id = true;
  // A handle of what is over still knows its name, so that its use is noted.
  return {control_->handles.number(), control_->voices.slot_of(id), id};
}

std::vector<std::byte> SoundManager::save() {
  const Lock one_at_a_time(control_->library.loaded.loading());
  const Asking asking(*control_);
  return tidewater::save(*control_);
}

void SoundManager::restore(std::span<const std::byte> saved, std::span<const Bank> banks) {
  if (const std::string problem = try_restore(saved, banks); !problem.empty()) fail(problem);
}

std::string SoundManager::try_restore(std::span<const std::byte> saved, std::span<const Bank> banks) {
  {
    const Lock one_at_a_time(control_->library.loaded.loading());
    const Lock lock(control_->mutex);
    if (!control_->is_untouched())
      return "a saved state is restored into a manager that was just made: before anything else is asked of it, and before it renders";
  }
  // The state is restored into a second manager, so that a damaged state leaves this one as it was.
  std::unique_ptr<Control> restored;
  std::string problem = problem_of([&] {
    restored = std::make_unique<Control>(control_->options);
    return tidewater::restore(*restored, saved, banks);
  });
  if (!problem.empty()) {
    if (restored) restored->library.reader.stop();
    return problem;
  }
  control_->library.reader.stop();
  control_ = std::move(restored);
  return {};
}

void SoundManager::render(std::span<float> out) noexcept { control_->render(out); }

Frames SoundManager::clock() const { return {control_->noting.link.mixer().clock().value}; }

Layout SoundManager::layout() const { return control_->options.layout; }

Hertz SoundManager::rate() const { return control_->options.rate; }

Stats SoundManager::stats() const {
  const Lock lock(control_->mutex);
  const VoicesCount& count = control_->voices.count();
  const Totals& totals = control_->noting.totals;
  return {.playbacks = static_cast<std::uint32_t>(control_->voices.playbacks()),
          .voices = count.sounding,
          .most_voices = count.most_sounding,
          .held = count.held,
          .fading = count.fading,
          .dormant = count.dormant,
          .late = count.late,
          .clip_bytes = control_->library.clip_bytes(),
          .raised = totals.raised,
          .started = totals.started,
          .refused = totals.refused};
}

std::span<const EndedPlayback> SoundManager::ended() const { return control_->voices.ended(); }

Meter SoundManager::read_meter(GroupName group) {
  const Lock lock(control_->mutex);
  const auto index = control_->groups.names().find(group);
  if (index == Numbers::none) return {};
  const GroupMeter meter = control_->noting.link.mixer().read_meter(index);
  return {decibels(static_cast<double>(meter.peak)), decibels(static_cast<double>(meter.rms))};
}

PlayingWhile SoundManager::play_while(EventName event, Emitter emitter) { return PlayingWhile(raise(event, emitter)); }

Action SoundManager::begin_action(EventName event, std::span<const Trait> traits, Emitter emitter) {
  return {control_->handles.number(), event, traits, emitter};
}

}  // namespace tidewater
