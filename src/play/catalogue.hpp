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
#include "tidewater/name.hpp"

namespace tidewater {

struct LiveBank;

/// What is loaded, by name. Never changed once it is made: a new one is made outside the control lock and takes its place by pointer.
class Catalogue {
 public:
  /// Looked up by a view, without a text of its own.
  struct TextHash {
    using is_transparent = void;
    std::size_t operator()(std::string_view text) const { return std::hash<std::string_view>()(text); }
  };
  using Texts = std::unordered_map<std::string, std::string, TextHash, std::equal_to<>>;

  struct Event {
    std::uint64_t hash = 0;
    const BankEvent* design = nullptr;  ///< null: a free place
    LiveBank* bank = nullptr;
  };

  Catalogue() : Catalogue({}, {}) {}
  /// Of banks with one event that of the highest priority counts, and of those the last. `unloaded` are those that were there once, with
  /// the names of their events.
  Catalogue(std::vector<LiveBank*> banks, Texts unloaded);

  const std::vector<LiveBank*>& banks() const { return banks_; }
  /// Null where no bank has it.
  const Event* find(Name event) const;
  /// The event is looked for soon.
  void fetch(Name event) const { tidewater::fetch(places_[event.hash() & (places_.size() - 1)]); }
  /// The bank that had an event, and was unloaded; empty where there was none.
  std::string_view lost_with(Name event) const;
  const Texts& unloaded() const { return unloaded_; }
  /// Of all events, sorted; made anew.
  std::vector<std::string_view> names() const;

 private:
  std::vector<LiveBank*> banks_;
  std::vector<Event> places_;  ///< a power of two, half of them free; from the hash's place on
  Texts unloaded_;             ///< event to bank
};

}  // namespace tidewater
