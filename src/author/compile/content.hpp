#pragma once
#include <cstdint>

#include "author/clips/kept_clips.hpp"
#include "bank/bank_data.hpp"

namespace tidewater {

/// Fills in what a bank and each of its sounds are known by: XXH3, 64 bits, of all that is heard of them, as it is compiled and however a
/// book says it; of what streams the head and the length. Never 0. Clips go without the endings of their files.
/// Sums of clips that `kept` holds are not computed again, and new sums are added to it. `kept` may be null.
void note_contents(BankData& data, KeptClips* kept = nullptr);

/// The same of a bank that changes another: of that one, and of all that is new.
std::uint64_t content_of_patch(const BankData& data);

}  // namespace tidewater
