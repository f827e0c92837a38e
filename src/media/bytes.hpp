#pragma once
#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>

#include "base/ours.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

/// Where the bytes of an audio file lie: on disk, inside another file, in memory.
/// Thread: one at a time.
class Bytes {
 public:
  Bytes() = default;
  virtual ~Bytes() = default;
  Bytes(const Bytes&) = delete;
  Bytes& operator=(const Bytes&) = delete;

  virtual std::uint64_t size() const = 0;
  /// How many of those from `at` on were read: fewer at the end, and where it cannot be read any further.
  virtual std::size_t read(std::uint64_t at, std::span<std::byte> to) = 0;
};

/// A file on disk. Throws Error with words for a person.
std::unique_ptr<Bytes> open_file(const std::string& path);
/// The same by value.
Read<std::unique_ptr<Bytes>> read_file(const std::string& path);
/// For any number of readers on any threads, as the file is now: another that takes its name later is not seen.
Read<std::function<std::unique_ptr<Bytes>()>> read_file_for_many(const std::string& path);

}  // namespace tidewater
