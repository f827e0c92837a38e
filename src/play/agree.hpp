#pragma once
#include "bank/bank_data.hpp"

namespace tidewater {

/// Throws Error where two banks have something of one name, and it is not the same: which of them plays would hang on the order in which
/// they came. What is not known of a bank is not compared.
void require_agreement(const BankData& loaded, const BankData& comes);

}  // namespace tidewater
