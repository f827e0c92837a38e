#pragma once
/// Clips that another bank has: what two banks share lies in a third, and a bank that changes another has only what is new.

#include <memory>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// The banks that a bank takes clips from; or which of them is missing, and what to do.
Read<std::vector<std::shared_ptr<const BankData>>> bases_of(const BankData& data,
                                                            const std::vector<std::shared_ptr<const BankData>>& there);

/// The bank with its clips found in those that lend them; itself where it has all its own. By value as `bases_of`.
Read<Bank> with_bases(const Bank& bank, const std::vector<std::shared_ptr<const BankData>>& there);

/// Whether the one may lie in the place of the other.
bool same_form(const BankClip& a, const BankClip& b);

}  // namespace tidewater
