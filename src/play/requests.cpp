#include <fmt/format.h>

#include <algorithm>

#include "base/nearest.hpp"
#include "play/manager_state.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

Raised ManagerState::raise(Name event) {
  take_reports();
  PlaybackId id{++stats.raised, 0};
  JournalEntry& asked = note(Kind::raise);
  asked.raise = id.raise;
  asked.event = event.text();

  Raised raised;
  const auto known = events.find(event.hash());
  if (known == events.end() || known->second.design->name != event.text()) {
    const auto lost = forgotten.find(std::string(event.text()));
    raised.outcome = lost == forgotten.end() ? Outcome::unknown_event : Outcome::bank_not_loaded;
    decide(raised.outcome, id,
           lost == forgotten.end() ? why_unknown(event) : fmt::format("the bank '{}' with this event was unloaded", lost->second));
    return raised;
  }
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  bool first = true;
  for (const auto& response : known->second.design->responses) {
    ++id.response;
    const Outcome outcome = carry_out(response, *known->second.bank, id, event, raised);
    if (first || weight(outcome) > weight(raised.outcome)) raised.outcome = outcome;
    first = false;
  }
  return raised;
}

std::string ManagerState::why_unknown(Name event) const {
  if (banks.empty()) return "no bank is loaded";
  std::vector<std::string_view> names;
  for (const auto& [hash, known] : events) names.emplace_back(known.design->name);
  std::sort(names.begin(), names.end());
  return fmt::format("no loaded bank has this event{}", did_you_mean(event.text(), names));
}

LivePlayback* ManagerState::find(const Playback& handle) {
  if (handle.index_ >= playbacks.size() || handle.id_ == PlaybackId{}) return nullptr;
  LivePlayback& playback = playbacks[handle.index_];
  return playback.sound != nullptr && playback.id == handle.id_ ? &playback : nullptr;
}

Playback ManagerState::find(PlaybackId id) {
  const auto known =
      std::find_if(playbacks.begin(), playbacks.end(), [&](const LivePlayback& p) { return p.sound != nullptr && p.id == id; });
  // A handle of what is over still knows its name, so that its use is noted.
  return {this, known == playbacks.end() ? 0 : index_of(*known), id};
}

void ManagerState::stop(const Playback& handle, Seconds fade) {
  JournalEntry& asked = note(Kind::stop);
  asked.playback = handle.id_;
  asked.fade = fade;
  if (LivePlayback* playback = find(handle))
    leave(*playback, fade, "stopped");
  else
    decide(Outcome::already_ended, handle.id_, {});
}

void ManagerState::set_gain(const Playback& handle, Decibels gain, Seconds time) {
  JournalEntry& asked = note(Kind::gain);
  asked.playback = handle.id_;
  asked.gain = gain;
  asked.fade = time;
  LivePlayback* playback = find(handle);
  if (playback == nullptr) {
    decide(Outcome::already_ended, handle.id_, {});
    return;
  }
  playback->own_gain = gain;
  send(SetVoiceGain{index_of(*playback), static_cast<float>(amplitude(playback->drawn_gain + gain)), frames_of(time)});
}

void ManagerState::bend(const Playback& handle, Semitones shift, Seconds time) {
  JournalEntry& asked = note(Kind::bend);
  asked.playback = handle.id_;
  asked.pitch = shift;
  asked.fade = time;
  LivePlayback* playback = find(handle);
  if (playback == nullptr) {
    decide(Outcome::already_ended, handle.id_, {});
    return;
  }
  send(SetVoiceStep{index_of(*playback), step_of(*playback, shift), frames_of(time)});
}

void ManagerState::stop_all(Seconds fade) {
  note(Kind::stop_all).fade = fade;
  for (auto& playback : playbacks)
    if (playback.sound != nullptr) leave(playback, fade, "stopped");
}

Outcome ManagerState::set_gain(Name group, Decibels gain, Seconds time) {
  JournalEntry& asked = note(Kind::gain);
  asked.group = group.text();
  asked.gain = gain;
  asked.fade = time;
  const auto index = groups.find(group);
  if (index == Groups::none)
    return decide(Outcome::unknown_group, {},
                  fmt::format("there is no group '{}'{}", group.text(), did_you_mean(group.text(), groups.names())));
  groups.set_gain(index, gain);
  return send_group(index, time);
}

Outcome ManagerState::set_mute(Name group, bool mute) {
  JournalEntry& asked = note(Kind::mute);
  asked.group = group.text();
  asked.on = mute;
  const auto index = groups.find(group);
  if (index == Groups::none)
    return decide(Outcome::unknown_group, {},
                  fmt::format("there is no group '{}'{}", group.text(), did_you_mean(group.text(), groups.names())));
  groups.set_mute(index, mute);
  return send_group(index, Seconds{0.02});
}

Outcome ManagerState::send_group(std::uint32_t group, Seconds time) {
  send(SetGroupGain{group, static_cast<float>(groups[group].own_amplitude()), frames_of(time)});
  return Outcome::done;
}

}  // namespace tidewater
