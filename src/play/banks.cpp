#include <fmt/format.h>

#include <algorithm>

#include "play/manager_state.hpp"
#include "tidewater/error.hpp"

namespace tidewater {

/// All that can be made before anybody else has to wait. `loading` is held, so that no other bank comes or goes.
std::list<LiveBank> ManagerState::prepare(const Bank& bank) {
  const BankData& data = data_of(bank);
  for (const LiveBank* loaded : catalogue->banks())
    if (loaded->data->name == data.name) throw Error(fmt::format("a bank named '{}' is loaded already; unload it first", data.name));
  const auto added = static_cast<std::uint32_t>(
      std::count_if(data.groups.begin(), data.groups.end(), [&](const BankGroup& g) { return groups.find(Name(g.name)) == Groups::none; }));
  if (groups.size() + added > most_groups)
    throw Error(fmt::format("with the bank '{}' there would be {} groups; {} is the most", data.name, groups.size() + added, most_groups));

  std::list<LiveBank> prepared(1);
  LiveBank& live = prepared.front();
  live.data = BankInside::of(bank);
  live.sounds.reserve(data.sounds.size());
  for (const auto& sound : data.sounds) {
    LiveSound& its = live.sounds.emplace_back();
    its.home = &live;
    its.bank = &data;
    its.design = &sound;
    its.key = seed_for(options.seed, hash_name(sound.name));
  }
  const bool streams = std::any_of(data.clips.begin(), data.clips.end(), [](const BankClip& clip) { return clip.streamed != nullptr; });
  if (streams) streamer.prepare(owners.size() + 1);  // one may be in the hands of the thread that reads
  if (streams && !options.offline) streamer.run_on_its_own();
  return prepared;
}

/// What was remembered of its sounds goes on. Only who holds `loading` adds to it.
void ManagerState::remember(LiveBank& bank) {
  for (auto& sound : bank.sounds) {
    sound.memory = &memories[hash_name(sound.design->name)];
    if (sound.memory->users++ == 0) sound.memory->fit(*sound.design);
  }
}

Outcome ManagerState::carry_out(const asked::Load&, const Beside& beside) {
  LiveBank& live = beside.loading->prepared.front();
  const BankData& data = *live.data;
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
  for (auto& sound : live.sounds) {
    sound.group = numbers[sound.design->group];
    if (sound.memory->users > 1) sound.memory->fit(*sound.design);
  }
  banks.splice(banks.end(), beside.loading->prepared);
  catalogue.swap(beside.loading->catalogue);
  return Outcome::done;
}

Outcome ManagerState::carry_out(const asked::Unload& unload, const Beside& beside) {
  LiveBank* bank = beside.loading->leaving;
  if (bank == nullptr) return decide(Outcome::bank_not_loaded, {}, {.code = Reason::Code::no_such_bank, .name = unload.bank});
  catalogue.swap(beside.loading->catalogue);
  for (LivePlayback* playback : owners)
    if (playback != nullptr && playback->sound->home == bank) leave(*playback, {}, "unloaded");
  for (auto& sound : bank->sounds) forget_sleepers(sound);
  bank->unloaded = true;
  sweeping = !sleepers.empty();
  return Outcome::done;
}

/// Nobody asks for its sounds any more.
void ManagerState::leave_behind(LiveBank& bank) {
  for (auto& sound : bank.sounds) --sound.memory->users;
}

/// Nothing plays from them any more. They are destroyed by whoever takes them, outside the lock.
std::list<LiveBank> ManagerState::take_silent_banks() {
  std::list<LiveBank> silent;
  for (auto bank = banks.begin(); bank != banks.end();) {
    const auto next = std::next(bank);
    if (bank->unloaded && bank->playing == 0) silent.splice(silent.end(), banks, bank);
    bank = next;
  }
  return silent;
}

}  // namespace tidewater
