#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>
#include <vector>

#include "bank/turned_design.hpp"
#include "base/state.hpp"
#include "choose/pick.hpp"
#include "drive/following.hpp"
#include "play/catalogue.hpp"
#include "terms/scope_times.hpp"
#include "voices/heard.hpp"
#include "voices/live.hpp"
#include "world/hearing.hpp"

namespace tidewater {

/// The memory of a sound, by its name. It lasts even while no loaded bank has the sound.
struct SoundMemory {
  std::uint64_t asked = 0;   ///< how often it was asked to start
  std::vector<Picks> picks;  ///< for each list of clips of each layer: one, or `emitters_apart` of them
  HeardBefore heard;
  std::size_t users = 0;  ///< loaded banks that have the sound

  /// Makes room for all that a design may need.
  void fit(const BankSound& design);
};

/// A design that has taken the place of the bank's own.
struct TurnedSound {
  BankSound design;
  std::string text;  ///< as it was given
};

/// A sound of a loaded bank.
struct LiveSound : PlayedSound {
  std::unique_ptr<const Hearing> hearing;      ///< of a sound in the world
  std::uint32_t heard_kind = 0;                ///< its number in Earshot while it is loaded; 0 on the screen
  std::unique_ptr<const Following> following;  ///< of a sound that follows gauges
  std::uint64_t key = 0;                       ///< of its draws
  SoundMemory* memory = nullptr;
  ScopeNumber scope = 0;
  std::vector<std::uint64_t> choice_keys;  ///< of all layers, for each choice (choose/traits.hpp)
  std::array<std::uint64_t, 8> told = {};  ///< keys of traits without a clip that were told already
  std::size_t told_count = 0;
};

/// How a sound in the world is heard; null for one on the screen.
std::unique_ptr<const Hearing> hearing_of(const BankSound& design);

struct LiveBank : PlayedBank {
  std::shared_ptr<const BankData> data;
  std::uint64_t serial = 0;  ///< number of the load that brought it, from 1
  bool versioned = false;    ///< some of its sounds have other versions in other banks
  std::vector<LiveSound> sounds;
  std::vector<LiveSound*> in_world;  ///< those that have a place in the world
  std::vector<LiveSound*> tracks;
  std::map<std::size_t, std::unique_ptr<const TurnedSound>> turned;  ///< designs of some of the sounds, by their number
  std::vector<std::unique_ptr<const TurnedSound>> before;            ///< earlier ones of its tracks, which the music may hold

  /// A sound's name as the bank has it. A turn leaves it alone, so it may be read without the control lock, unlike the sound's design.
  std::string_view name_of(const LiveSound& sound) const { return data->sounds[static_cast<std::size_t>(&sound - sounds.data())].name; }

  /// A sound takes a design in place of the present one; returns the turned one that was there. What follows from the design is not made
  /// anew.
  std::unique_ptr<const TurnedSound> turn(LiveSound& sound, std::unique_ptr<const TurnedSound> its) {
    sound.design = &its->design;
    return std::exchange(turned[static_cast<std::size_t>(&sound - sounds.data())], std::move(its));
  }
};

struct Turning;

/// The data of a load, unload or turn, made ready before the lock is taken.
struct Loading {
  std::list<LiveBank> prepared;   ///< the bank that is loaded
  std::vector<LiveSound*> known;  ///< its sounds whose names other loaded banks have, too
  LiveBank* leaving = nullptr;    ///< the bank that is unloaded or replaced; null if there is none
  /// A new sound's place in the chain of versions of one name, so that stopping one version stops all, and limits count all.
  struct Version {
    LiveSound *sound = nullptr, *above = nullptr, *below = nullptr;
  };
  std::vector<Version> versions;
  std::vector<std::uint32_t> groups;  ///< the manager's numbers of the bank's groups
  std::vector<std::uint32_t> scopes;  ///< the manager's numbers of the bank's scopes
  Turning* turning = nullptr;         ///< of a turn; then nothing else holds
  std::shared_ptr<const Catalogue> catalogue;
};

/// The loaded banks, and what is remembered of sounds by name. Banks are made ready outside the control lock, one at a time.
class Loaded {
 public:
  /// Whoever loads or unloads holds it.
  std::mutex& loading() { return loading_; }

  // While that is held, outside the control lock.

  Loading prepare_to_load(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed);
  /// Replaces the loaded bank of its name, which must be there.
  Loading prepare_to_replace(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed);
  Loading prepare_to_unload(std::string_view name);

  /// The data of all loaded banks. Needs either of the two locks.
  std::vector<std::shared_ptr<const BankData>> all_data() const;

  // With the control lock.

  /// The loaded banks and events by name. A copy of the pointer may be read after the lock is released.
  const std::shared_ptr<const Catalogue>& catalogue() const { return catalogue_; }
  /// Puts the old catalogue into `loading`, to be destroyed outside the lock.
  LiveBank& load(Loading& loading);
  void unload(Loading& loading) { catalogue_.swap(loading.catalogue); }
  LiveBank& replace(Loading& loading);
  /// Null if no bank of this name is loaded.
  LiveBank* bank_called(std::string_view name) const;
  /// The version that a load brought, even if it was replaced since. Null if it is gone. For a load that was not made here, the bank of the
  /// name.
  LiveBank* bank_of_load(std::string_view name, std::uint64_t serial);
  /// Null if it is gone.
  LiveBank* bank_numbered(std::uint64_t serial);
  /// Whether `is(sound)` holds for any loaded version of a sound.
  template <class Is>
  bool any_sound(Name name, Is is) const {
    for (const LiveBank& bank : banks_)
      for (const LiveSound& sound : bank.sounds)
        if (same_name(name, sound.design->name) && is(sound)) return true;
    return false;
  }
  /// The track of the highest priority, and among equals of the last bank. Null if no loaded bank has it.
  LiveSound* track_called(Name name) const;
  /// All banks in the order of their loads, including unloaded ones that still play.
  std::list<LiveBank>& banks() { return banks_; }
  /// See base/state.hpp: which banks there are, what is known of their events, and what is remembered of sounds. When it is read,
  /// `bank_called(name, content)` gives a bank's data.
  template <class State, class BankCalled>
  void state(State& s, std::uint64_t seed, BankCalled bank_called);
  /// Returns the banks that nothing plays from any more. The caller destroys them outside the lock.
  std::list<LiveBank> take_silent();

 private:
  template <class State>
  static void state_of_turned(State& s, LiveBank& bank);
  /// Makes the bank, which is not yet among the others.
  Loading prepare(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed);
  /// Finds the place of its sounds in the chains of versions, for a bank at this place in the catalogue.
  void line_up(Loading& loading, std::size_t place);
  static void link(const Loading& loading);
  void forget_version(const LiveBank& gone);

  std::mutex loading_;
  std::uint64_t loads_ = 0;  ///< how many loads there were
  std::list<LiveBank> banks_;
  std::shared_ptr<const Catalogue> catalogue_ = std::make_shared<const Catalogue>();
  std::unordered_map<std::uint64_t, SoundMemory> memories_;  ///< by the hash of a sound's name
};

/// Which sounds have a turned design, and the design.
template <class State>
void Loaded::state_of_turned(State& s, LiveBank& bank) {
  std::vector<std::size_t> turned;
  for (const auto& [number, ignored] : bank.turned) turned.push_back(number);
  s.each(turned, [&](std::size_t& number) {
    std::string text;
    if constexpr (!State::reading) text = bank.turned.at(number)->text;
    s(number);
    s.text(text);
    if constexpr (State::reading) {
      if (number >= bank.sounds.size()) return s.damage();
      LiveSound& sound = bank.sounds[number];
      Read<BankSound> design = read_turned_design(text, *bank.data, *sound.design);
      if (!design.value) return s.damage();
      bank.turn(sound, std::make_unique<const TurnedSound>(TurnedSound{*std::move(design.value), std::move(text)}));
      sound.hearing = hearing_of(*sound.design);
    }
  });
}

template <class State, class BankCalled>
void Loaded::state(State& s, std::uint64_t seed, BankCalled bank_called) {
  std::vector<LiveBank*> in_catalogue = catalogue_->banks();
  std::vector<LiveBank*> all;
  for (LiveBank& bank : banks_) all.push_back(&bank);
  s.each(all, [&](LiveBank*& bank) {
    std::string name = bank == nullptr ? std::string() : bank->data->name;
    ContentHash content = bank == nullptr ? ContentHash() : bank->data->content;
    s.text(name);
    s(content);
    if constexpr (State::reading) {
      const auto data = bank_called(name, content);
      if (data == nullptr) return s.damage();
      banks_.splice(banks_.end(), prepare(data, LiveClips(data->clips.size()), seed).prepared);
      bank = &banks_.back();
    }
    state_of_turned(s, *bank);
    s(bank->serial, bank->versioned, bank->unloaded, bank->replaced, bank->playing, bank->asleep, bank->stops);
    bank->clips.state(s);
  });
  s(loads_);
  if (!s.ok()) return;
  // In the order in which they count; of two with one name the younger.
  s.each(in_catalogue, [&](LiveBank*& bank) {
    auto at = static_cast<std::size_t>(std::find(all.begin(), all.end(), bank) - all.begin());
    s(at);
    if (at >= all.size()) return s.damage();
    bank = all[at];
  });
  if (!s.ok()) return;
  std::vector<std::pair<std::string, std::string>> gone(catalogue_->unloaded().begin(), catalogue_->unloaded().end());
  s.each(gone, [&](auto& its) { s.text(its.first), s.text(its.second); });
  if constexpr (State::reading)
    catalogue_ = std::make_shared<const Catalogue>(std::move(in_catalogue), Catalogue::Texts(gone.begin(), gone.end()));

  std::vector<std::uint64_t> names;
  for (const auto& [name, ignored] : memories_) names.push_back(name);
  std::sort(names.begin(), names.end());
  s.list(names);
  for (const std::uint64_t name : names) {
    SoundMemory& memory = memories_[name];
    s(memory.asked, memory.users);
    s.list(memory.picks);
    memory.heard.state(s);
  }
}

}  // namespace tidewater
