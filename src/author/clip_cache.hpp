#pragma once
#include <string>

#include "bank/bank_data.hpp"

namespace tidewater {

/// Prepared clips, one a file, as they lie in memory. For this machine only: numbers are in its own order of bytes.
/// Thread: any. Never throws: what cannot be kept is prepared again.
class ClipCache {
 public:
  ClipCache();

  static std::string key(const std::string& content, const std::string& ending, const std::string& way);
  /// False where nothing is kept under the key, or an empty one. `file` is where a streamed clip plays from.
  bool read(const std::string& key, const std::string& name, const std::string& file, BankClip& clip) const;
  void write(const std::string& key, const BankClip& clip) const;
  /// Deletes what was not used for longest, where there is more than is sensible.
  void tidy() const;

 private:
  std::string folder_;
};

}  // namespace tidewater
