#include "bank/bank_records.hpp"

#define XXH_INLINE_ALL  // no library to link for it
#include <xxhash.h>

namespace tidewater::bank_file {

std::uint64_t hash_of(std::span<const std::byte> bytes) { return XXH3_64bits(bytes.data(), bytes.size()); }

}  // namespace tidewater::bank_file
