#include "choose/traits.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <string_view>
#include <vector>

#include "base/random.hpp"
#include "notebook/otherwise.hpp"

namespace tidewater {
namespace {

bool same(const Name& name, const HashedText& text) { return same_name(name, Name(text.text, text.hash)); }

constexpr std::size_t most_looked_up = 8;  // traits of one layer: more are looked for again and again

/// The key of a choice that may fit several values of a trait: its values have to be compared.
constexpr std::uint64_t any_key = 0, no_key = 1;
std::uint64_t part_of_key(std::size_t trait, std::uint64_t value) { return std::rotl(value, static_cast<int>(8 * trait)) << 1U; }

/// The traits that a layer goes by, in its order; null where one is not given.
class Given {
 public:
  Given(const BankLayer& layer, std::span<const Trait> traits) : layer_(layer), traits_(traits) {
    for (std::size_t i = 0; i < std::min(layer.by.size(), most_looked_up); ++i) found_[i] = given_trait(traits, layer.by[i]);
  }
  /// The key of a choice that is for exactly these values.
  std::uint64_t key() const {
    std::uint64_t key = no_key;
    for (std::size_t i = 0; i < std::min(layer_.by.size(), most_looked_up); ++i)
      if (found_[i] != nullptr) key += part_of_key(i, found_[i]->value.hash());
    return key;
  }
  bool fits(const BankChoice& choice) const {
    for (std::size_t i = 0; i < choice.values.size(); ++i) {
      if (choice.values[i].hash == any_value.hash) continue;
      const Trait* trait = i < most_looked_up ? found_[i] : given_trait(traits_, layer_.by[i]);
      if (trait == nullptr || !same(trait->value, choice.values[i])) return false;
    }
    return true;
  }

 private:
  const BankLayer& layer_;
  std::span<const Trait> traits_;
  std::array<const Trait*, most_looked_up> found_;
};

}  // namespace

std::vector<std::uint64_t> choice_keys_of(const BankSound& design) {
  std::vector<std::uint64_t> keys;
  for (const BankLayer& layer : design.layers)
    for (const BankChoice& choice : layer.choices) {
      std::uint64_t key = no_key;
      bool any = choice.values.size() < layer.by.size() || layer.by.size() > most_looked_up;
      for (std::size_t i = 0; i < choice.values.size() && !any; ++i) {
        key += part_of_key(i, choice.values[i].hash);
        any = choice.values[i].hash == any_value.hash;
      }
      keys.push_back(any ? any_key : key);
    }
  return keys;
}

const BankChoice* choice_for(const BankLayer& layer, const std::uint64_t* keys, std::span<const Trait> traits) {
  if (layer.choices.empty()) return nullptr;
  if (layer.by.empty()) return layer.choices.data();
  const Given its(layer, traits);
  const std::uint64_t key = its.key();
  for (std::size_t i = 0; i < layer.choices.size(); ++i)
    if ((keys[i] == key || keys[i] == any_key) && its.fits(layer.choices[i])) return &layer.choices[i];
  return nullptr;
}

bool went_otherwise(const BankLayer& layer, const BankChoice* choice) {
  return !layer.by.empty() && (choice == nullptr || choice->values.empty());
}

bool goes_by(const BankSound& design, Name trait) {
  return std::any_of(design.layers.begin(), design.layers.end(), [&](const BankLayer& layer) {
    return std::any_of(layer.by.begin(), layer.by.end(), [&](const HashedText& its) { return same(trait, its); });
  });
}

Trait trait_of(const BankSound& design, std::uint64_t name, std::uint64_t value) {
  static const StrippedName unknown{Name("", 0)};
  Trait trait{Name(std::string_view(unknown), name), Name(std::string_view(unknown), value)};
  for (const BankLayer& layer : design.layers)
    for (std::size_t i = 0; i < layer.by.size(); ++i) {
      if (layer.by[i].hash != name) continue;
      trait.name = Name(layer.by[i].text, name);
      for (const BankChoice& choice : layer.choices)
        if (i < choice.values.size() && choice.values[i].hash == value) trait.value = Name(choice.values[i].text, value);
    }
  return trait;
}

std::uint64_t otherwise_key(const BankLayer& layer, std::span<const Trait> traits) {
  std::uint64_t key = hash_name(layer.name) | 1U;
  for (const auto& name : layer.by) {
    const Trait* trait = given_trait(traits, name);
    key = Random(key ^ (trait == nullptr ? 0 : trait->value.hash())).bits();
  }
  return key;
}

}  // namespace tidewater
