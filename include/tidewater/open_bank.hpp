#pragma once
/// Banks that were packed (`tidewater pack`): what a game ships, and opens without book, clips or their decoders.
///
///     manager.load(open_bank("banks/harbour.tidebank"));
///
/// docs/bank-format.md describes the file. Whatever it holds is checked before anything of it is used. Opening reads the table of what is
/// in it, and no samples: a manager takes these into memory, once for all managers that play the bank. Clips that stream are read while
/// they play.
///
/// Thread: any, for every call.

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <string_view>

#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// Throws Error where it cannot be read, is damaged, or was made by a newer version: the message says which.
Bank open_bank(const std::string& path);

/// Where the bytes of a bank lie, if not in a file of its own: an asset pack, a console's file system.
struct BankSource {
  std::uint64_t size = 0;  ///< bytes
  /// Fills all of `to` with what lies from `at` on; false where it cannot. Called by whoever opens or loads the bank, and while it lives
  /// by the thread that reads.
  std::function<bool(std::uint64_t at, std::span<std::byte> to)> read;
};

/// The same by value: no exception is thrown, and `problem` has the message. Messages speak of the bank as `called`.
Read<Bank> read_bank(const std::string& path);
Read<Bank> read_bank(const BankSource& source, std::string_view called);
/// Of memory that the game keeps, unchanged, as long as the bank lives: samples are played from where they are if it begins at a
/// multiple of 64 bytes.
Read<Bank> read_bank(std::span<const std::byte> memory, std::string_view called);

}  // namespace tidewater
