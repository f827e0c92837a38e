#include <algorithm>

#include "play/manager_state.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

Raised ManagerState::raise(const Happening& happening) {
  const Name event = happening.event;
  Raised raised;
  std::size_t text = event.text().size();
  for (const auto& trait : happening.traits) text += trait.name.text().size() + trait.value.text().size();
  if (!has_room(text)) {
    raised.outcome = Outcome::no_room;
    return raised;
  }
  PlaybackId id{++stats.raised, 0};
  count_request();
  if (Note* asked = note(Kind::raise))
    asked->what = AskedNote{.raise = id.raise,
                            .name = notebook.keep(event.text()),
                            .traits = notebook.keep(happening.traits),
                            .emitter = happening.emitter,
                            .into = happening.into};

  const Catalogue::Event* known = catalogue->find(event);
  if (known == nullptr) {
    const std::string_view lost = catalogue->lost_with(event.text());
    raised.outcome = lost.empty() ? Outcome::unknown_event : Outcome::bank_not_loaded;
    Reason why{.code = lost.empty() ? Reason::Code::unknown_event : Reason::Code::event_unloaded};
    if (options.journal) why.name = notebook.keep(lost.empty() ? event.text() : lost);
    return decide(raised.outcome, id, why), raised;
  }
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  Happening based = happening;
  based.event = Name(known->design->name, event.hash());
  based.base = now.lands + mixer.lead() + happening.into;
  bool first = true;
  for (const auto& response : known->design->responses) {
    ++id.response;
    const Outcome outcome = carry_out(response, *known->bank, id, based, raised);
    if (first || weight(outcome) > weight(raised.outcome)) raised.outcome = outcome;
    first = false;
  }
  return raised;
}

LivePlayback* ManagerState::find(const Playback& handle) {
  if (handle.index_ >= playbacks.size() || handle.id_ == PlaybackId{}) return nullptr;
  LivePlayback& playback = playbacks[handle.index_];
  return playback.alive > 0 && playback.id == handle.id_ && !gone(&playback) ? &playback : nullptr;
}

Playback ManagerState::find(PlaybackId id) {
  const auto known =
      std::find_if(playbacks.begin(), playbacks.end(), [&](const LivePlayback& p) { return p.sound != nullptr && p.id == id; });
  // A handle of what is over still knows its name, so that its use is noted.
  return {this, known == playbacks.end() ? 0 : known->first->index, id};
}

template <class... Quantities>
bool ManagerState::admit(PlaybackId id, Quantities&... quantities) {
  door.open();
  (door.admit(quantities), ...);
  if (door.refusal()) {
    decide(Outcome::not_a_number, id, *door.refusal());
    return false;
  }
  if (door.notice()) tell({.why = *door.notice()});
  return true;
}

/// Notes a request, and acts on what it names.
template <class Act>
Outcome ManagerState::change(Kind kind, const Playback& handle, double value, Seconds time, Act act) {
  if (handle.id_ == PlaybackId{}) return Outcome::already_ended;  // the handle of nothing
  if (!has_room(0)) return Outcome::no_room;
  count_request();
  if (Note* asked = note(kind)) asked->what = AskedNote{.playback = handle.id_, .value = value, .fade = time};
  LivePlayback* first = find(handle);
  if (first == nullptr) return decide(Outcome::already_ended, handle.id_, {});
  // The next is looked up before: an act may end its layer, and with the last of them all slots are free.
  for (LivePlayback *layer = first, *next = nullptr; layer != nullptr; layer = next) {
    next = layer->next;
    if (layer->sound != nullptr) act(*layer);
  }
  return Outcome::done;
}

template <class Act>
Outcome ManagerState::change(Kind kind, Name group, double value, bool on, Seconds time, Act act) {
  if (!has_room(2 * group.text().size())) return Outcome::no_room;
  count_request();
  if (Note* asked = note(kind)) asked->what = AskedNote{.name = notebook.keep(group.text()), .value = value, .fade = time, .on = on};
  const auto index = groups.find(group);
  if (index == Groups::none)
    return decide(Outcome::unknown_group, {},
                  {.code = Reason::Code::unknown_group, .name = options.journal ? notebook.keep(group.text()) : std::string_view()});
  act(index);
  return Outcome::done;
}

Outcome ManagerState::stop(const Playback& handle, Seconds fade) {
  if (!admit(handle.id_, fade)) return Outcome::not_a_number;
  return change(Kind::stop, handle, 0, fade, [&](LivePlayback& playback) { leave(playback, fade, "stopped"); });
}

Outcome ManagerState::set_gain(const Playback& handle, Decibels gain, Seconds time) {
  if (!admit(handle.id_, gain, time)) return Outcome::not_a_number;
  return change(Kind::gain, handle, gain.value, time, [&](LivePlayback& playback) {
    playback.own_gain = gain;
    playback.level = Level(playback.clip->level + playback.drawn_gain + gain);
    turned(playback);
    to_voice(playback, SetVoiceGain{playback.voice, static_cast<float>(amplitude(playback.drawn_gain + gain)), frames_of(time)});
  });
}

Outcome ManagerState::bend(const Playback& handle, Semitones shift, Seconds time) {
  if (!admit(handle.id_, shift, time)) return Outcome::not_a_number;
  return change(Kind::bend, handle, shift.value, time, [&](LivePlayback& playback) {
    const std::int64_t from = std::max(playback.since, mixer.changes_from(now.lands));
    playback.position = position_at(playback, from);
    playback.since = from;
    playback.step = step_of(*playback.sound, playback.drawn_pitch + shift);
    turned(playback);
    to_voice(playback, SetVoiceStep{playback.voice, playback.step, frames_of(time)});
  });
}

Outcome ManagerState::set_pan(const Playback& handle, Pan pan, Seconds time) {
  if (!admit(handle.id_, pan, time)) return Outcome::not_a_number;
  return change(Kind::pan, handle, pan.value, time, [&](LivePlayback& playback) {
    playback.pan = pan;
    to_voice(playback, SetVoiceSide{playback.voice, static_cast<float>(playback.pan.value), frames_of(time)});
  });
}

Outcome ManagerState::set_filter(const Playback& handle, StateFilter::Kind kind, Hertz frequency, Seconds time) {
  if (!admit(handle.id_, frequency, time)) return Outcome::not_a_number;
  const bool low = kind == StateFilter::Kind::low_pass;
  return change(low ? Kind::low_pass : Kind::high_pass, handle, frequency.value, time, [&](LivePlayback& playback) {
    (low ? playback.low_pass : playback.high_pass) = frequency;
    to_voice(playback, SetFilter{playback.voice, false, kind, static_cast<float>(frequency.value), frames_of(time)});
  });
}

/// A sleeper takes the change along when it wakes.
void ManagerState::to_voice(const LivePlayback& playback, const Command& command) {
  if (playback.stage != Stage::dormant) send(command);
}

void ManagerState::stop_all(Seconds fade) {
  if (!admit({}, fade)) return;
  count_request();
  if (Note* asked = note(Kind::stop_all)) asked->what = AskedNote{.fade = fade};
  for (LivePlayback* playback : owners)
    if (playback != nullptr) leave(*playback, fade, "stopped");
  stopped = {stats.raised, ~0U};
  ++stops;
  stats.dormant = 0;
  sweeping = !sleepers.empty();
}

Outcome ManagerState::set_gain(Name group, Decibels gain, Seconds time) {
  if (!admit({}, gain, time)) return Outcome::not_a_number;
  return change(Kind::gain, group, gain.value, false, time, [&](std::uint32_t index) {
    master_is_set = master_is_set || index == 0;
    groups.set_gain(index, gain, now.lands + mixer.lead() + frames_of(time));
    send_group(index, time);
  });
}

Outcome ManagerState::set_mute(Name group, bool mute) {
  return change(Kind::mute, group, 0, mute, {}, [&](std::uint32_t index) {
    constexpr Seconds smooth{0.02};
    master_is_set = master_is_set || index == 0;
    groups.set_mute(index, mute, now.lands + mixer.lead() + frames_of(smooth));
    send_group(index, smooth);
  });
}

Outcome ManagerState::set_filter(Name group, StateFilter::Kind kind, Hertz frequency, Seconds time) {
  if (!admit({}, frequency, time)) return Outcome::not_a_number;
  return change(kind == StateFilter::Kind::low_pass ? Kind::low_pass : Kind::high_pass, group, frequency.value, false, time,
                [&](std::uint32_t index) {
                  send(SetFilter{index, true, kind, static_cast<float>(frequency.value), frames_of(time)});
                });
}

void ManagerState::send_group(std::uint32_t group, Seconds time) {
  send(SetGroupGain{group, static_cast<float>(groups[group].own_amplitude()), frames_of(time)});
}

}  // namespace tidewater
