#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <list>
#include <memory>
#include <mutex>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "base/state.hpp"
#include "choose/pick.hpp"
#include "drive/following.hpp"
#include "play/catalogue.hpp"
#include "voices/heard.hpp"
#include "voices/live.hpp"
#include "world/hearing.hpp"

namespace tidewater {

/// What is remembered of a sound by its name, also while its bank is not loaded.
struct SoundMemory {
  std::uint64_t asked = 0;   ///< times that it was to start
  std::vector<Picks> picks;  ///< of each layer, for each choice of clips: one, or as many as emitters are told apart
  HeardBefore heard;
  std::size_t users = 0;  ///< loaded banks that have such a sound

  /// Room for all that a design may need.
  void fit(const BankSound& design);
};

/// A sound of a loaded bank.
struct LiveSound : PlayedSound {
  std::unique_ptr<const Hearing> hearing;      ///< of one in the world
  std::uint32_t heard_kind = 0;                ///< its number there, while it is loaded
  std::unique_ptr<const Following> following;  ///< of one that goes by gauges
  std::uint64_t key = 0;                       ///< of its draws
  SoundMemory* memory = nullptr;
  std::vector<std::uint64_t> choice_keys;  ///< of all layers, for each choice (choose/traits.hpp)
  std::array<std::uint64_t, 8> told = {};  ///< by their keys, what of traits that no clip knows was told; no more than so many are
  std::size_t told_count = 0;
};

struct LiveBank : PlayedBank {
  std::shared_ptr<const BankData> data;
  std::uint64_t serial = 0;  ///< which load it came with, from 1
  bool versioned = false;    ///< some of its sounds have versions in other banks
  std::vector<LiveSound> sounds;
  std::vector<LiveSound*> in_world;  ///< those that have a place in the world
};

/// What a bank needs to come or go, made before anybody has to wait.
struct Loading {
  std::list<LiveBank> prepared;   ///< the bank that comes
  std::vector<LiveSound*> known;  ///< its sounds that another loaded bank has, too, by name
  LiveBank* leaving = nullptr;    ///< the one that goes, or is replaced; null where there is none of its name
  /// A new sound's place in the chain of versions of one name, so that stopping one version stops all, and limits count all.
  struct Version {
    LiveSound *sound = nullptr, *above = nullptr, *below = nullptr;
  };
  std::vector<Version> versions;
  std::vector<std::uint32_t> groups;  ///< the manager's numbers of the bank's groups
  std::shared_ptr<const Catalogue> catalogue;
};

/// The loaded banks, and what is remembered of sounds by name. Banks are made ready outside the control lock, one at a time.
class Loaded {
 public:
  /// Held by whoever loads or unloads.
  std::mutex& loading() { return loading_; }

  // While that is held, outside the control lock.

  Loading prepare_to_load(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed);
  /// In the place of the one of its name, which has to be there.
  Loading prepare_to_replace(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed);
  Loading prepare_to_unload(std::string_view name);

  /// What is loaded; also with the control lock.
  std::vector<std::shared_ptr<const BankData>> all_data() const;

  // With the control lock.

  /// What is loaded, by name. Whoever keeps it may go on reading.
  const std::shared_ptr<const Catalogue>& catalogue() const { return catalogue_; }
  /// The old catalogue goes back into `loading`, to be destroyed outside the lock.
  LiveBank& load(Loading& loading);
  void unload(Loading& loading) { catalogue_.swap(loading.catalogue); }
  LiveBank& replace(Loading& loading);
  /// Null where none is loaded.
  LiveBank* bank_called(std::string_view name) const;
  /// The version that came with a load, be it replaced; null where it is gone. Of a load that never was here, the bank of its name.
  LiveBank* bank_of_load(std::string_view name, std::uint64_t serial);
  /// Null where it is gone.
  LiveBank* bank_numbered(std::uint64_t serial);
  /// In the order in which they came: those that still play after they were unloaded, too.
  std::list<LiveBank>& banks() { return banks_; }
  /// See base/state.hpp: which banks there are, what is known of their events, and what is remembered of sounds. When it is read,
  /// `bank_called(name, content)` gives a bank's data.
  template <class State, class BankCalled>
  void state(State& s, std::uint64_t seed, BankCalled bank_called);
  /// Banks that nothing plays from any more. They are destroyed by whoever takes them, outside the lock.
  std::list<LiveBank> take_silent();

 private:
  /// The bank, not yet among the others.
  Loading prepare(const std::shared_ptr<const BankData>& data, LiveClips clips, std::uint64_t seed);
  /// Finds the neighbours of its sounds, for a bank that comes to this place in the catalogue.
  void line_up(Loading& loading, std::size_t place);
  static void link(const Loading& loading);
  void forget_version(const LiveBank& gone);

  std::mutex loading_;
  std::uint64_t loads_ = 0;  ///< that there were
  std::list<LiveBank> banks_;
  std::shared_ptr<const Catalogue> catalogue_ = std::make_shared<const Catalogue>();
  std::unordered_map<std::uint64_t, SoundMemory> memories_;  ///< by the hash of a sound's name
};

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
