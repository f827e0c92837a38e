#pragma once
#include "bank/bank_data.hpp"

namespace tidewater {

/// From here on `data` takes clips that a base has, too, from there: those of the same name, form and samples. The base becomes one of its
/// bases where there are any. Throws Error where the base cannot be read.
void borrow(BankData& data, const BankData& base, bool replaces);

}  // namespace tidewater
