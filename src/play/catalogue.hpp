#pragma once
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/fetch.hpp"
#include "base/few.hpp"
#include "tidewater/name.hpp"
#include "tidewater/trait.hpp"

namespace tidewater {

struct LiveBank;

/// The loaded banks and their events, by name. A catalogue never changes: a new one is made outside the control lock and replaces the
/// pointer.
class Catalogue {
 public:
  /// Looks up by a view, without making a string.
  struct TextHash {
    using is_transparent = void;
    std::size_t operator()(std::string_view text) const { return std::hash<std::string_view>()(text); }
  };
  using Texts = std::unordered_map<std::string, std::string, TextHash, std::equal_to<>>;

  struct Event {
    std::uint64_t hash = 0;
    const BankEvent* design = nullptr;  ///< null if the place is free
    LiveBank* bank = nullptr;
  };

  Catalogue() : Catalogue({}, {}) {}
  /// If several banks have an event, the highest priority counts, and among equals the last bank. `unloaded` maps events of unloaded banks
  /// to their banks.
  Catalogue(std::vector<LiveBank*> banks, Texts unloaded);

  const std::vector<LiveBank*>& banks() const { return banks_; }
  /// Null if no bank has it.
  const Event* find(Name event) const;
  /// The same by the hash of its name.
  const Event* find(std::uint64_t hash) const { return find(Name(std::string_view(StrippedName(Name("", hash))), hash)); }
  /// Calls `act(event)` once for an event and for each event that it raises, directly or not. Stops at `most_raised` events.
  template <class Act>
  void each_raised(const Event& event, Act act) const {
    if (!event.design->raises()) return act(event);
    Few<Event, most_raised> found;
    found.emplace_back(event);
    for (std::size_t at = 0; at < found.size(); ++at) {
      act(found[at]);
      for (const BankResponse& response : found[at].design->responses) {
        if (response.verb != Verb::raise || found.full()) continue;
        const Event* next = find(response.name.hash);
        if (next != nullptr && !found.any([&](const Event& its) { return its.design == next->design; })) found.emplace_back(*next);
      }
    }
  }
  /// Returns whether banks declare the trait, but not this value.
  bool is_undeclared(const Trait& trait) const;
  bool declares_traits() const { return !declared_.empty(); }
  /// Returns the declared values of a trait.
  std::vector<std::string_view> values_of(std::string_view trait) const;
  /// The event is looked for soon.
  void fetch(Name event) const { tidewater::fetch(places_[event.hash() & (places_.size() - 1)]); }
  /// The unloaded bank that had an event. Empty if there is none.
  std::string_view lost_with(Name event) const;
  const Texts& unloaded() const { return unloaded_; }
  /// The names of all events, sorted.
  std::vector<std::string_view> names() const;

 private:
  static constexpr std::size_t most_raised = 64;

  std::vector<LiveBank*> banks_;
  std::vector<Event> places_;  ///< an open hash table: a power of two, at most half full
  Texts unloaded_;             ///< event to bank
  /// A declared trait, by the hashes of its name and values.
  struct Declared {
    std::uint64_t name = 0;
    std::vector<std::uint64_t> values;
  };
  std::vector<Declared> declared_;
};

}  // namespace tidewater
