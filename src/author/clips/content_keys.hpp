#pragma once
#include <cstdint>
#include <mutex>
#include <string>
#include <unordered_map>

namespace tidewater {

/// Where what was worked out before is kept: $TIDEWATER_CACHE, or $XDG_CACHE_HOME/tidewater, or ~/.cache/tidewater. It can
/// be deleted at any time; where it cannot be read or written, all is worked out anew.
std::string cache_folder();

/// Names the contents of files. A file whose size and time have not changed is not read again.
/// Thread: any for `of`.
class ContentKeys {
 public:
  ContentKeys();

  /// XXH3, 128 bits, of the whole file; empty where it cannot be read.
  std::string of(const std::string& file);
  void save();

 private:
  struct Seen {
    std::uintmax_t size = 0;
    std::int64_t time = 0;
    std::string key;
  };
  std::string path_;
  std::mutex mutex_;
  std::unordered_map<std::string, Seen> seen_;
  std::string added_;  ///< lines to be written
};

}  // namespace tidewater
