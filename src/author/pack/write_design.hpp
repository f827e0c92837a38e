#pragma once
#include <string>

#include "bank/bank_data.hpp"

namespace tidewater {

/// A sound by itself, with the way to its group and scope: what `read_turned_design` reads.
std::string text_of_design(const BankData& bank, BankSound sound);

}  // namespace tidewater
