#pragma once
#include <cstdint>
#include <memory>
#include <span>
#include <string>

#include "bank/bank_data.hpp"

namespace tidewater {

/// Prepared clips, one a file, as they lie in memory. For this machine only: numbers are in its own order of bytes.
/// Thread: any. Never throws: what cannot be kept is prepared again.
class ClipCache {
 public:
  ClipCache();

  static std::string key(const std::string& content, const std::string& ending, const std::string& way);
  /// False where nothing is kept under the key, or an empty one; what is kept there but damaged is thrown away. `file` is where a streamed
  /// clip plays from.
  bool read(const std::string& key, const std::string& name, const std::string& file, BankClip& clip) const;
  /// `encoded`: it streams from a file that was made for it, and is good with that one alone.
  void write(const std::string& key, const BankClip& clip, bool encoded) const;
  /// Deletes what was not used for longest, where there is more than is sensible.
  void tidy() const;

 private:
  std::string folder_;
};

/// The door behind `read`: all but the name of a clip from the bytes of a kept file, which it keeps. False where anything
/// in them does not fit.
bool read_prepared(const std::shared_ptr<const char[]>& memory, std::size_t size, const std::string& file, BankClip& clip);
/// What the head of a kept file must say of the rest.
std::uint64_t prepared_hash(std::span<const char> file);

}  // namespace tidewater
