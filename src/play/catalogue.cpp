#include "play/catalogue.hpp"

#include <algorithm>
#include <bit>

#include "play/loaded.hpp"

namespace tidewater {

Catalogue::Catalogue(std::vector<LiveBank*> banks, Texts unloaded) : banks_(std::move(banks)), unloaded_(std::move(unloaded)) {
  std::size_t events = 0;
  for (const LiveBank* bank : banks_) events += bank->data->events.size();
  places_.resize(std::bit_ceil(2 * events + 1));
  for (LiveBank* bank : banks_) {
    for (const BankTrait& trait : bank->data->traits) {
      const std::uint64_t name = Name(trait.name).hash();
      auto its = std::find_if(declared_.begin(), declared_.end(), [&](const Declared& known) { return known.name == name; });
      if (its == declared_.end()) its = declared_.insert(its, Declared{name, {}});
      for (const HashedText& value : trait.values) its->values.push_back(value.hash);
    }
    for (const BankEvent& event : bank->data->events) {
      const Name name(event.name);
      std::size_t at = name.hash() & (places_.size() - 1);
      while (places_[at].design != nullptr && !same_name(places_[at].design->name, name)) at = (at + 1) & (places_.size() - 1);
      const bool counts = places_[at].design == nullptr || bank->data->priority >= places_[at].bank->data->priority;
      if (counts) places_[at] = {name.hash(), &event, bank};
      unloaded_.erase(event.name);
    }
  }
}

bool Catalogue::is_undeclared(const Trait& trait) const {
  for (const Declared& its : declared_)
    if (its.name == trait.name.hash()) return std::find(its.values.begin(), its.values.end(), trait.value.hash()) == its.values.end();
  return false;
}

std::vector<std::string_view> Catalogue::values_of(std::string_view trait) const {
  std::vector<std::string_view> values;
  for (const LiveBank* bank : banks_)
    for (const BankTrait& its : bank->data->traits)
      if (same_name(Name(its.name), Name(trait)))
        for (const HashedText& value : its.values) values.emplace_back(value.text);
  return values;
}

const Catalogue::Event* Catalogue::find(Name event) const {
  for (std::size_t at = event.hash() & (places_.size() - 1); places_[at].design != nullptr; at = (at + 1) & (places_.size() - 1))
    if (places_[at].hash == event.hash() && same_name(Name(places_[at].design->name, event.hash()), event)) return &places_[at];
  return nullptr;
}

std::string_view Catalogue::lost_with(Name event) const {
  auto found = unloaded_.find(event.text());
  if (found == unloaded_.end()) found = unloaded_.find(std::string_view(StrippedName(event)));
  return found == unloaded_.end() ? std::string_view() : found->second;
}

std::vector<std::string_view> Catalogue::names() const {
  std::vector<std::string_view> names;
  for (const Event& event : places_)
    if (event.design != nullptr) names.emplace_back(event.design->name);
  std::sort(names.begin(), names.end());
  return names;
}

}  // namespace tidewater
