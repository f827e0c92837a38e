#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/trait.hpp"

namespace tidewater {

/// A number for each choice of a sound's layers, in order, from the values that the choice is for. They lie side by side, so that most
/// choices are passed by without being read.
std::vector<std::uint64_t> choice_keys_of(const BankSound& design);

/// The choice that traits lead to. Null if there is none, and no choice for other values. `keys` has the numbers of the layer's choices.
const BankChoice* choice_for(const BankLayer& layer, const std::uint64_t* keys, std::span<const Trait> traits);

/// Whether the layer goes by traits, and none of its choices is for these.
bool went_otherwise(const BankLayer& layer, const BankChoice* choice);

/// A number for an answer of `why_otherwise` (notebook/otherwise.hpp): equal for equal answers.
std::uint64_t otherwise_key(const BankLayer& layer, std::span<const Trait> traits);

/// Whether any layer goes by a trait.
bool goes_by(const BankSound& design, Name trait);
/// The trait with these hashes, with the texts that the sound's book has for them.
Trait trait_of(const BankSound& design, std::uint64_t name, std::uint64_t value);

}  // namespace tidewater
