#include <fmt/format.h>

#include <algorithm>

#include "play/manager_state.hpp"
#include "tidewater/error.hpp"

namespace tidewater {

using Kind = JournalEntry::Kind;

void ManagerState::load(const Bank& bank) {
  const BankData& data = bank.data();
  for (const auto& loaded : banks)
    if (!loaded.unloaded && loaded.data->name == data.name)
      throw Error(fmt::format("a bank named '{}' is loaded already; unload it first", data.name));
  const auto added = static_cast<std::uint32_t>(
      std::count_if(data.groups.begin(), data.groups.end(), [&](const BankGroup& g) { return groups.find(Name(g.name)) == Groups::none; }));
  if (groups.size() + added > most_groups)
    throw Error(fmt::format("with the bank '{}' there would be {} groups; {} is the most", data.name, groups.size() + added, most_groups));

  note(Kind::load).bank = data.name;
  std::vector<std::uint32_t> numbers;
  const auto first_to_set_master = [&](std::uint32_t number) { return number == 0 && !master_is_set; };
  for (const auto& group : data.groups) {
    const auto known = groups.size();
    const auto number = groups.add(group, numbers.empty() ? 0 : numbers[group.parent]);
    numbers.push_back(number);
    if (number == known) send(DefineGroup{number, groups[number].parent, static_cast<float>(groups[number].own_amplitude())});
    const bool its_own = number == known || first_to_set_master(number);
    for (const auto& [kind, frequency] :
         {std::pair{StateFilter::Kind::low_pass, group.low_pass}, {StateFilter::Kind::high_pass, group.high_pass}})
      if (its_own && frequency > Hertz{0}) send(SetFilter{number, true, kind, static_cast<float>(frequency.value), 0});
    if (first_to_set_master(number)) {
      groups.set_gain(0, group.gain, now.lands);
      groups.set_mute(0, group.muted, now.lands);
      send_group(0, {});
    }
  }
  master_is_set = true;
  const bool streams = std::any_of(data.clips.begin(), data.clips.end(), [](const BankClip& clip) { return clip.streamed != nullptr; });
  if (streams && !options.offline) streamer.run_on_its_own();
  LiveBank& live = banks.emplace_back(LiveBank{bank.share(), {}, false});
  for (const auto& sound : data.sounds) {
    const std::uint64_t name = hash_name(sound.name);
    SoundMemory& memory = memories[name];
    memory.fit(sound);
    live.sounds.push_back({&live, &data, &sound, numbers[sound.group], seed_for(options.seed, name), &memory});
  }
  learn_events();
}

bool ManagerState::unload(std::string_view name) {
  note(Kind::unload).bank = name;
  const auto bank = std::find_if(banks.begin(), banks.end(), [&](const LiveBank& b) { return !b.unloaded && b.data->name == name; });
  if (bank == banks.end()) {
    decide(Outcome::bank_not_loaded, {}, fmt::format("no bank named '{}' is loaded", name));
    return false;
  }
  bank->unloaded = true;
  for (auto& playback : playbacks)
    if (playback.sound != nullptr && playback.sound->bank == bank->data.get()) leave(playback, {}, "unloaded");
  for (const auto& event : bank->data->events) forgotten[event.name] = bank->data->name;
  learn_events();
  return true;
}

void ManagerState::learn_events() {
  events.clear();
  unknown.clear();
  for (auto& bank : banks) {
    if (bank.unloaded) continue;
    for (const auto& event : bank.data->events) {
      events[hash_name(event.name)] = {&event, &bank};
      forgotten.erase(event.name);
    }
  }
}

void ManagerState::forget_silent_banks() {
  banks.remove_if([](const LiveBank& bank) { return bank.unloaded && bank.playing == 0; });
}

}  // namespace tidewater
