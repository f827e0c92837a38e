/// Calls of tools that watch a running game: what plays, loudness, a second sink.

#include <algorithm>
#include <mutex>
#include <utility>
#include <vector>

#include "play/control.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {
namespace {

PlayingNow now_of(Control& control, const LiveBank& bank, const LiveSound& sound, const LiveStart& start) {
  PlayingNow now;
  now.playback = start.id;
  now.bank = bank.data->name;
  now.sound = sound.design->name;
  now.group = control.groups.names().name(sound.group);
  now.state = control.starter.state_of(start);
  const Level level = control.voices.heard_level_of(start);
  if (level.audible()) now.level = Decibels{level.hundredths() / 100.0};
  now.emitter = Emitter{start.emitter};
  now.loops = sound.design->cadence.high > Seconds{};
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next) now.loops = now.loops || layer->design->loop;
  if (start.in_world) {
    now.place = place_of(control.listening.earshot.where(start.slot));
    now.away = Metres{static_cast<double>(control.voices.metres_to(start))};
  }
  return now;
}

}  // namespace

std::vector<PlayingNow> SoundManager::playing() const {
  std::vector<PlayingNow> all;
  {
    const std::lock_guard lock(control_->mutex);
    for (const LiveBank& bank : control_->library.loaded.banks())
      for (const LiveSound& sound : bank.sounds)
        for (const LiveStart* start = sound.latest; start != nullptr; start = start->earlier)
          all.push_back(now_of(*control_, bank, sound, *start));
  }
  std::sort(all.begin(), all.end(), [](const PlayingNow& a, const PlayingNow& b) { return a.playback < b.playback; });
  return all;
}

std::vector<Bank> SoundManager::loaded_banks() const {
  std::vector<Bank> banks;
  const std::lock_guard lock(control_->mutex);
  for (const LiveBank* bank : control_->library.loaded.catalogue()->banks()) banks.push_back(bank_of(bank->data));
  return banks;
}

bool SoundManager::watch_loudness(GroupName group, bool on) {
  const std::lock_guard lock(control_->mutex);
  const std::uint32_t number = control_->groups.names().find(group);
  if (number == Numbers::none) return false;
  control_->noting.link.mixer().watch_loudness(number, on);
  return true;
}

std::optional<GroupLoudness> SoundManager::loudness(GroupName group) const {
  const std::lock_guard lock(control_->mutex);
  const std::uint32_t number = control_->groups.names().find(group);
  const LoudnessMeter* meter = number == Numbers::none ? nullptr : control_->noting.link.mixer().loudness(number);
  if (meter == nullptr) return std::nullopt;
  return GroupLoudness{meter->over(LoudnessMeter::momentary_tenths), meter->over(LoudnessMeter::short_term_tenths)};
}

std::uint64_t SoundManager::add_journal(JournalSink sink) { return control_->handing.add(*control_, std::move(sink)); }

void SoundManager::remove_journal(std::uint64_t number) { control_->handing.remove(*control_, number); }

}  // namespace tidewater
