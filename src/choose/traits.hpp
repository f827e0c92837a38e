#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/trait.hpp"

namespace tidewater {

/// What the choices of a sound's layers are for, each as one number, in their order: side by side, so that most of them are passed by
/// without a look at them.
std::vector<std::uint64_t> choice_keys_of(const BankSound& design);

/// The clips that traits lead to; null where there are none, not even otherwise. `keys` has one for each of the layer's choices.
const BankChoice* choice_for(const BankLayer& layer, const std::uint64_t* keys, std::span<const Trait> traits);

/// Whether a layer goes by traits, and these led to none of the clips that it has for them.
bool went_otherwise(const BankLayer& layer, const BankChoice* choice);

/// A number for an answer of `why_otherwise` (notebook/otherwise.hpp): equal for equal answers.
std::uint64_t otherwise_key(const BankLayer& layer, std::span<const Trait> traits);

/// Whether any of its layers goes by a trait.
bool goes_by(const BankSound& design, Name trait);
/// A trait that it goes by, of which the hashes are known, with the texts that its book has for them.
Trait trait_of(const BankSound& design, std::uint64_t name, std::uint64_t value);

}  // namespace tidewater
