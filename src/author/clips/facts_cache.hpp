#pragma once
#include <functional>
#include <mutex>
#include <string>
#include <unordered_map>

#include "author/clips/clip_facts.hpp"
#include "author/clips/content_keys.hpp"

namespace tidewater {

/// Facts that were measured before, by the content of the file, in the cache folder.
/// Thread: any for `get`.
class FactsCache {
 public:
  FactsCache();

  /// What is known of a file with this content, or what `measure` says of it.
  ClipFacts get(const std::string& file, const std::string& soundfont, const std::function<ClipFacts()>& measure);
  void save();

 private:
  ContentKeys keys_;
  std::string path_;
  std::mutex mutex_;
  std::unordered_map<std::string, ClipFacts> known_;  ///< by hash, as text
  std::string added_;                                 ///< lines to be written
};

}  // namespace tidewater
