/// The traits and the scope that a raise on an emitter takes from the emitter and its parents.

#include <algorithm>
#include <array>
#include <limits>

#include "world/emitters.hpp"

namespace tidewater {

void Emitters::add_traits(Emitter emitter, RaiseTraits& traits) const {
  const std::lock_guard lock(mutex_);
  for (int depth = 0; !traits_.empty() && depth <= deepest && there(emitter); ++depth) {
    if (const auto own = traits_.find(slot_in(emitter)); own != traits_.end())
      for (const Trait& trait : own->second.traits) {
        const bool known = std::any_of(traits.begin(), traits.end(), [&](const Trait& t) { return same_name(t.name, trait.name.text()); });
        if (!known && !traits.full()) traits.emplace_back(trait);
      }
    const std::uint32_t child = child_[slot_in(emitter)];
    emitter = child == 0 ? Emitter{} : children_[child - 1].parent;
  }
}

/// Returns 0 for an empty name, and for further names when there are 255.
std::uint8_t Emitters::number_of_scope(std::string_view name) {
  if (name.empty()) return 0;
  const auto known = std::find(scope_names_.begin(), scope_names_.end(), name);
  if (known != scope_names_.end()) return static_cast<std::uint8_t>(known - scope_names_.begin() + 1);
  if (scope_names_.size() == std::numeric_limits<std::uint8_t>::max()) return 0;
  scope_names_.emplace_back(name);
  return static_cast<std::uint8_t>(scope_names_.size());
}

std::string_view Emitters::scope_of(Emitter emitter) const {
  const std::lock_guard lock(mutex_);
  for (int depth = 0; !scope_.empty() && depth <= deepest && there(emitter); ++depth) {
    const std::uint32_t slot = slot_in(emitter);
    if (slot < scope_.size() && scope_[slot] != 0) return scope_names_[scope_[slot] - std::size_t{1}];
    emitter = child_[slot] == 0 ? Emitter{} : children_[child_[slot] - 1].parent;
  }
  return {};
}

void Emitters::remove_of(std::span<const std::uint64_t> scopes) {
  const std::lock_guard lock(mutex_);
  std::array<bool, std::numeric_limits<std::uint8_t>::max() + 1> ends{};
  for (std::size_t name = 0; name < scope_names_.size(); ++name)
    ends[name + 1] = std::find(scopes.begin(), scopes.end(), hash_name(scope_names_[name])) != scopes.end();
  for (std::uint32_t slot = 0; slot < scope_.size(); ++slot)
    if (ends[scope_[slot]] && live_[slot] != none) remove_slot(slot);
}

}  // namespace tidewater
