#pragma once
/// The design of one sound by itself, as the request `turn` carries it: a bank file with this sound alone, in base64. Its groups and scopes
/// are known by name; its clips have the numbers that they have in the bank that is turned.

#include <string>
#include <string_view>

#include "bank/bank_data.hpp"
#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// Reads a design for a sound of the bank. A problem says why it cannot take the place of `now` while it plays: the text is damaged, or
/// more than values differ, which needs a reload.
Read<BankSound> read_turned_design(std::string_view text, const BankData& bank, const BankSound& now);

/// Returns how two designs differ in more than values; empty if they do not.
std::string needs_reload(const BankSound& now, const BankSound& turned);

}  // namespace tidewater
