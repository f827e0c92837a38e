#pragma once
#include <cstdint>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// XXH3, 64 bits, of all that is heard of a bank: what its book says, as it holds, and the samples of its clips; of what streams the head
/// and the length. Never 0.
std::uint64_t content_of(const Book& book, const BankData& data);

/// The same of a bank that changes another: of that one, and of all that is new.
std::uint64_t content_of_patch(const BankData& data);

/// The same of each of its sounds.
std::vector<std::uint64_t> contents_of_sounds(const Book& book, const BankData& data);

}  // namespace tidewater
