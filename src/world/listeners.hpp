#pragma once
#include <array>
#include <optional>
#include <span>
#include <vector>

#include "world/hearing.hpp"

namespace tidewater {

/// Who listens, by number.
class Listeners {
 public:
  Listeners() { ears_.reserve(most_listeners); }

  /// Of fewer than `most_listeners`.
  void set(std::size_t number, const Listener& listener) {
    all_[number] = ears_of(listener);
    list();
  }
  /// False where there was none.
  bool remove(std::size_t number) {
    const bool there = all_[number].has_value();
    all_[number].reset();
    list();
    return there;
  }
  /// Those that there are.
  std::span<const Ears> ears() const { return ears_; }

  template <class State>
  void state(State& s) {
    s(all_);
    list();
  }

 private:
  void list() {
    ears_.clear();
    for (const std::optional<Ears>& its : all_)
      if (its) ears_.push_back(*its);
  }

  std::array<std::optional<Ears>, most_listeners> all_;
  std::vector<Ears> ears_;
};

}  // namespace tidewater
