#pragma once
#include <span>
#include <string>
#include <string_view>

#include "bank/bank_data.hpp"
#include "tidewater/trait.hpp"

namespace tidewater {

/// The trait with this name. Null if it is not among `traits`.
const Trait* given_trait(std::span<const Trait> traits, const HashedText& name);

/// Says which trait no clip of the layer knows, what is done `then`, and which values there are: "'steps' has no clip for surface = stel,
/// and plays what it has otherwise; did you mean 'steel'?"
std::string why_otherwise(const BankSound& design, const BankLayer& layer, std::span<const Trait> traits, std::string_view then);

}  // namespace tidewater
