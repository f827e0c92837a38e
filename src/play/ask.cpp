#include <algorithm>
#include <utility>

#include "play/manager_state.hpp"
#include "request/texts.hpp"

namespace tidewater {
namespace {

/// What has to be done even where there is little room to note it: a game goes by it.
bool must_be_done(const Request& request) {
  return std::holds_alternative<asked::Load>(request) || std::holds_alternative<asked::Unload>(request) ||
         std::holds_alternative<asked::Unreadable>(request);
}

}  // namespace

Outcome ManagerState::ask(Request what, const Beside& beside) {
  door.open();
  each_field(what, [&](const auto&, auto& value) {
    if constexpr (requires { door.admit(value); }) door.admit(value);
  });
  const PlaybackId* playback = playback_in(std::as_const(what));
  if (playback != nullptr && *playback == PlaybackId{}) return Outcome::already_ended;  // the handle of nothing
  if (door.refusal()) return decide(Outcome::not_a_number, playback == nullptr ? PlaybackId{} : *playback, *door.refusal());
  if (door.notice()) notebook.add(now.at, NoticeNote{.why = *door.notice()});

  if (!must_be_done(what) && !admits(bytes_of_texts(what))) return Outcome::no_room;
  count_request();
  if (auto* raise = std::get_if<asked::Raise>(&what)) raise->id = ++stats.raised;
  if (notebook.open()) {
    what = with_texts_in(notebook, what);  // so that what is decided can speak of them
    notebook.add(now.at, AskedNote{now.lands, beside.into, what});
  }
  return std::visit([&](const auto& its) { return carry_out(its, beside); }, what);
}

bool ManagerState::admits(std::size_t text) {
  if (!notebook.open() || notebook.has_room(text)) return true;
  ++refused_for_room;
  ++stats.refused;
  return false;
}

Outcome ManagerState::carry_out(const asked::Raise& raise, const Beside& beside) {
  PlaybackId id{raise.id, 0};
  const Catalogue::Event* known = catalogue->find(raise.event);
  if (known == nullptr) {
    const std::string_view lost = catalogue->lost_with(raise.event.text());
    if (lost.empty()) return decide(Outcome::unknown_event, id, {.code = Reason::Code::unknown_event, .name = raise.event.text()});
    return decide(Outcome::bank_not_loaded, id, {.code = Reason::Code::event_unloaded, .name = notebook.keep(lost)});
  }
  const Happening happening{.event = Name(known->design->name, raise.event.hash()),
                            .traits = raise.traits,
                            .emitter = raise.emitter,
                            .base = now.lands + mixer.lead() + beside.into};
  Raised& raised = *beside.raised;
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  for (const auto& response : known->design->responses) {
    ++id.response;
    const Outcome outcome = respond(response, *known->bank, id, happening, raised);
    if (id.response == 1 || weight(outcome) > weight(raised.outcome)) raised.outcome = outcome;
  }
  return raised.outcome;
}

LivePlayback* ManagerState::find(PlaybackId id, std::uint32_t slot) {
  if (id == PlaybackId{}) return nullptr;
  if (slot == any_slot) slot = slot_with(id);
  if (slot >= playbacks.size()) return nullptr;
  LivePlayback& playback = playbacks[slot];
  return playback.alive > 0 && playback.id == id && !gone(&playback) ? &playback : nullptr;
}

std::uint32_t ManagerState::slot_with(PlaybackId id) const {
  const auto known =
      std::find_if(playbacks.begin(), playbacks.end(), [&](const LivePlayback& p) { return p.sound != nullptr && p.id == id; });
  return known == playbacks.end() ? any_slot : known->first->index;
}

/// Acts on every layer of a playback that is not over.
template <class Act>
Outcome ManagerState::change(PlaybackId id, const Beside& beside, Act act) {
  LivePlayback* first = find(id, beside.slot);
  if (first == nullptr) return decide(Outcome::already_ended, id, {});
  // The next is looked up before: an act may end its layer, and with the last of them all slots are free.
  for (LivePlayback *layer = first, *next = nullptr; layer != nullptr; layer = next) {
    next = layer->next;
    if (layer->sound != nullptr) act(*layer);
  }
  return Outcome::done;
}

template <class Act>
Outcome ManagerState::change(Name group, Act act) {
  const auto index = groups.find(group);
  if (index == Groups::none) return decide(Outcome::unknown_group, {}, {.code = Reason::Code::unknown_group, .name = group.text()});
  act(index);
  return Outcome::done;
}

Outcome ManagerState::carry_out(const asked::Stop& stop, const Beside& beside) {
  return change(stop.playback, beside, [&](LivePlayback& playback) { leave(playback, stop.fade, "stopped"); });
}

Outcome ManagerState::carry_out(const asked::SetGain& its, const Beside& beside) {
  if (const auto* group = std::get_if<Name>(&its.of))
    return change(*group, [&](std::uint32_t index) {
      master_is_set = master_is_set || index == 0;
      groups.set_gain(index, its.gain, now.lands + mixer.lead() + frames_of(its.time));
      send_group(index, its.time);
    });
  return change(std::get<PlaybackId>(its.of), beside, [&](LivePlayback& playback) {
    playback.own_gain = its.gain;
    playback.level = Level(playback.clip->level + playback.drawn_gain + its.gain);
    turned(playback);
    to_voice(playback, SetVoiceGain{playback.voice, static_cast<float>(amplitude(playback.drawn_gain + its.gain)), frames_of(its.time)});
  });
}

Outcome ManagerState::carry_out(const asked::Bend& bend, const Beside& beside) {
  return change(bend.playback, beside, [&](LivePlayback& playback) {
    const std::int64_t from = std::max(playback.since, mixer.changes_from(now.lands));
    playback.position = position_at(playback, from);
    playback.since = from;
    playback.step = step_of(*playback.sound, playback.drawn_pitch + bend.pitch);
    turned(playback);
    to_voice(playback, SetVoiceStep{playback.voice, playback.step, frames_of(bend.time)});
  });
}

Outcome ManagerState::carry_out(const asked::SetPan& its, const Beside& beside) {
  return change(its.playback, beside, [&](LivePlayback& playback) {
    playback.pan = its.pan;
    to_voice(playback, SetVoiceSide{playback.voice, static_cast<float>(playback.pan.value), frames_of(its.time)});
  });
}

Outcome ManagerState::carry_out(const asked::SetLowPass& its, const Beside& beside) {
  return filter(its.of, {StateFilter::Kind::low_pass, its.frequency, its.time}, &LivePlayback::low_pass, beside);
}

Outcome ManagerState::carry_out(const asked::SetHighPass& its, const Beside& beside) {
  return filter(its.of, {StateFilter::Kind::high_pass, its.frequency, its.time}, &LivePlayback::high_pass, beside);
}

Outcome ManagerState::filter(const Target& of, const Filtering& how, Hertz LivePlayback::*its, const Beside& beside) {
  const auto filter_at = [&](std::uint32_t index, bool group) {
    return SetFilter{index, group, how.kind, static_cast<float>(how.frequency.value), frames_of(how.time)};
  };
  if (const auto* group = std::get_if<Name>(&of)) return change(*group, [&](std::uint32_t index) { send(filter_at(index, true)); });
  return change(std::get<PlaybackId>(of), beside, [&](LivePlayback& playback) {
    playback.*its = how.frequency;
    to_voice(playback, filter_at(playback.voice, false));
  });
}

Outcome ManagerState::carry_out(const asked::SetMute& its, const Beside&) {
  return change(its.group, [&](std::uint32_t index) {
    constexpr Seconds smooth{0.02};
    master_is_set = master_is_set || index == 0;
    groups.set_mute(index, its.mute, now.lands + mixer.lead() + frames_of(smooth));
    send_group(index, smooth);
  });
}

/// A sleeper takes the change along when it wakes.
void ManagerState::to_voice(const LivePlayback& playback, const Command& command) {
  if (playback.stage != Stage::dormant) send(command);
}

Outcome ManagerState::carry_out(const asked::StopAll& stop, const Beside&) {
  for (LivePlayback* playback : owners)
    if (playback != nullptr) leave(*playback, stop.fade, "stopped");
  stopped = {stats.raised, ~0U};
  ++stops;
  stats.dormant = 0;
  sweeping = !sleepers.empty();
  return Outcome::done;
}

/// What cannot be read any more is something that happened, like a request: a journal gives it again.
Outcome ManagerState::carry_out(const asked::Unreadable& its, const Beside&) {
  for (auto& playback : playbacks)
    if (playback.sound != nullptr && playback.id == its.playback && playback.clip->streamed != nullptr && playback.stage != Stage::leaving)
      leave(playback, {}, "unreadable", {.code = Reason::Code::text, .name = its.why});
  return Outcome::done;
}

void ManagerState::send_group(std::uint32_t group, Seconds time) {
  send(SetGroupGain{group, static_cast<float>(groups[group].own_amplitude()), frames_of(time)});
}

}  // namespace tidewater
