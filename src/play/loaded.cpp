#include "play/loaded.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <string_view>
#include <utility>

#include "base/random.hpp"
#include "choose/traits.hpp"

namespace tidewater {

namespace {

bool goes_by_gauges(const BankSound& design) {
  return !design.follow.empty() ||
         std::any_of(design.layers.begin(), design.layers.end(), [](const BankLayer& l) { return !l.follow.empty(); });
}

}  // namespace

std::unique_ptr<const Hearing> hearing_of(const BankSound& design) {
  if (design.world.place != Where::world) return nullptr;
  return std::make_unique<const Hearing>(design.world, design.follow, goes_by_gauges(design));
}

void SoundMemory::fit(const BankSound& design) {
  std::size_t lists = 0;
  for (const auto& layer : design.layers) lists += layer.choices.size();
  picks.resize(std::max(picks.size(), lists * (design.each_emitter ? emitters_apart : 1)));  // of several versions the most
  if (design.spacing > Seconds{}) heard.fit(design.limit_each_emitter);
}

std::vector<std::shared_ptr<const BankData>> Loaded::all_data() const {
  std::vector<std::shared_ptr<const BankData>> all;
  for (const LiveBank* bank : catalogue_->banks()) all.push_back(bank->data);
  return all;
}

Loading Loaded::prepare(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed) {
  Loading loading;
  LiveBank& live = loading.prepared.emplace_back();
  live.loaded = &live;
  live.data = data;
  live.clips = std::move(clips);
  live.sounds.reserve(data->sounds.size());
  for (const auto& design : data->sounds) {
    LiveSound& sound = live.sounds.emplace_back();
    sound.loaded = &sound;
    sound.home = &live;
    sound.bank = data.get();
    sound.design = &design;
    sound.hearing = hearing_of(design);
    if (sound.hearing != nullptr) live.in_world.push_back(&sound);
    if (design.as_track() != nullptr) live.tracks.push_back(&sound);
    sound.choice_keys = choice_keys_of(design);
    sound.key = seed_for(seed, hash_name(design.name));
    // What was remembered of its sounds goes on.
    sound.memory = &memories_[hash_name(design.name)];
    if (sound.memory->users++ == 0)
      sound.memory->fit(design);
    else
      loading.known.push_back(&sound);  // somebody may be using it
  }
  return loading;
}

Loading Loaded::prepare_to_load(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed) {
  Loading loading = prepare(data, std::move(clips), seed);
  auto banks = catalogue_->banks();
  line_up(loading, banks.size());
  banks.push_back(&loading.prepared.front());
  loading.catalogue = std::make_shared<const Catalogue>(std::move(banks), catalogue_->unloaded());
  return loading;
}

LiveSound* Loaded::track_called(Name name) const {
  LiveSound* found = nullptr;
  int priority = 0;
  for (LiveBank* bank : catalogue_->banks())
    for (LiveSound* track : bank->tracks)
      if ((found == nullptr || bank->data->priority >= priority) && same_name(name, track->design->name)) {
        found = track;
        priority = bank->data->priority;
      }
  return found;
}

void Loaded::line_up(Loading& loading, std::size_t place) {
  LiveBank& live = loading.prepared.front();
  // In the order in which they count, the least first.
  using Rank = std::pair<int, std::size_t>;
  const Rank here = {live.data->priority, place};
  std::vector<std::pair<Rank, LiveBank*>> others;
  for (std::size_t b = 0; b < catalogue_->banks().size(); ++b) {
    LiveBank* other = catalogue_->banks()[b];
    if (other == loading.leaving)
      others.emplace_back(here, other);
    else if (other->data->root() == live.data->root())
      others.emplace_back(Rank{other->data->priority, b}, other);
  }
  if (others.empty()) return;
  std::sort(others.begin(), others.end());
  std::unordered_map<std::string_view, Loading::Version> versions;
  std::unordered_map<std::string_view, LiveSound*> its;
  for (LiveSound& sound : live.sounds) its.emplace(sound.design->name, &sound);
  const auto each = [&](LiveBank* other, auto take) {
    for (LiveSound& sound : other->sounds)
      if (const auto known = its.find(sound.design->name); known != its.end()) {
        Loading::Version& version = versions[known->first];
        version.sound = known->second;
        take(version, sound);
      }
  };
  // The nearest on either side comes last, and is what is left.
  for (const auto& [rank, other] : others)
    if (rank <= here) each(other, [](Loading::Version& version, LiveSound& sound) { version.below = &sound; });
  for (auto other = others.rbegin(); other != others.rend(); ++other)
    if (other->first > here) each(other->second, [](Loading::Version& version, LiveSound& sound) { version.above = &sound; });
  for (const auto& [name, version] : versions) loading.versions.push_back(version);
}

void Loaded::link(const Loading& loading) {
  for (const auto& [sound, above, below] : loading.versions) {
    sound->older = below;
    PlayedSound* before = above;
    while (before != nullptr && before->older != below) before = before->older;
    if (before != nullptr) before->older = sound;
    sound->newer = before;
    if (below != nullptr) below->newer = sound;
    for (PlayedSound* its : {static_cast<PlayedSound*>(sound), static_cast<PlayedSound*>(above), static_cast<PlayedSound*>(below)})
      if (its != nullptr) its->home->loaded->versioned = true;
  }
}

Loading Loaded::prepare_to_replace(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed) {
  Loading loading = prepare(data, std::move(clips), seed);
  LiveBank& live = loading.prepared.front();
  auto banks = catalogue_->banks();
  const auto place = std::find_if(banks.begin(), banks.end(), [&](const LiveBank* bank) { return bank->data->name == data->name; });
  loading.leaving = *place;
  *place = &live;
  for (LiveSound& sound : loading.leaving->sounds) --sound.memory->users;
  line_up(loading, static_cast<std::size_t>(place - banks.begin()));
  loading.catalogue = std::make_shared<const Catalogue>(std::move(banks), catalogue_->unloaded());
  return loading;
}

LiveBank& Loaded::replace(Loading& loading) {
  LiveBank& live = load(loading);
  loading.leaving->replaced = true;
  return live;
}

Loading Loaded::prepare_to_unload(std::string_view name) {
  Loading loading;
  auto banks = catalogue_->banks();
  const auto found = std::find_if(banks.begin(), banks.end(), [&](const LiveBank* bank) { return bank->data->name == name; });
  if (found == banks.end()) return loading;
  loading.leaving = *found;
  banks.erase(found);
  for (auto& sound : loading.leaving->sounds) --sound.memory->users;
  auto unloaded = catalogue_->unloaded();
  for (const auto& event : loading.leaving->data->events) unloaded[event.name] = loading.leaving->data->name;
  loading.catalogue = std::make_shared<const Catalogue>(std::move(banks), std::move(unloaded));
  return loading;
}

LiveBank& Loaded::load(Loading& loading) {
  LiveBank& live = loading.prepared.front();
  live.serial = ++loads_;
  for (LiveSound* sound : loading.known) sound->memory->fit(*sound->design);
  link(loading);
  banks_.splice(banks_.end(), loading.prepared);
  catalogue_.swap(loading.catalogue);
  return live;
}

LiveBank* Loaded::bank_called(std::string_view name) const {
  for (LiveBank* bank : catalogue_->banks())
    if (bank->data->name == name) return bank;
  return nullptr;
}

LiveBank* Loaded::bank_of_load(std::string_view name, std::uint64_t serial) {
  LiveBank* bank = bank_numbered(serial);
  const bool another_journal = serial == 0 || serial > loads_ || (bank != nullptr && bank->data->name != name);
  if (another_journal) return bank_called(name);
  return bank == nullptr || bank->unloaded ? nullptr : bank;
}

LiveBank* Loaded::bank_numbered(std::uint64_t serial) {
  for (LiveBank& bank : banks_)
    if (bank.serial == serial) return &bank;
  return nullptr;
}

void Loaded::forget_version(const LiveBank& gone) {
  for (LiveBank& bank : banks_)
    for (LiveSound& sound : bank.sounds) {
      if (sound.older != nullptr && sound.older->home == &gone) sound.older = sound.older->older;
      if (sound.newer != nullptr && sound.newer->home == &gone) sound.newer = sound.newer->newer;
    }
}

std::list<LiveBank> Loaded::take_silent() {
  std::list<LiveBank> silent;
  for (auto bank = banks_.begin(); bank != banks_.end();) {
    const auto next = std::next(bank);
    if ((bank->unloaded || bank->replaced) && bank->playing == 0) {
      if (bank->versioned) forget_version(*bank);
      silent.splice(silent.end(), banks_, bank);
    }
    bank = next;
  }
  return silent;
}

}  // namespace tidewater
