#pragma once
#include <functional>
#include <mutex>
#include <string>
#include <unordered_map>

#include "author/clip_facts.hpp"

namespace tidewater {

/// Facts that were measured before, by the content of the file, in a file of the user's cache folder
/// ($TIDEWATER_CACHE, or $XDG_CACHE_HOME/tidewater, or ~/.cache/tidewater). It can be deleted at any time; where it
/// cannot be read or written, all is measured anew.
/// Thread: any for `get`.
class FactsCache {
 public:
  FactsCache();

  /// What is known of a file with this content, or what `measure` says of it.
  ClipFacts get(const std::string& file, const std::string& soundfont, const std::function<ClipFacts()>& measure);
  void save();

 private:
  std::string path_;
  std::mutex mutex_;
  std::unordered_map<std::string, ClipFacts> known_;  ///< by hash, as text
  std::string added_;                                 ///< lines to be written
};

}  // namespace tidewater
