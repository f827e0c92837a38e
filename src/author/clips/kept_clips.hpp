#pragma once
/// Results of earlier compiles of this process: prepared clips, their facts and their sums.

#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_map>
#include <utility>

#include "author/clips/clip_facts.hpp"
#include "bank/bank_data.hpp"

namespace tidewater {

/// Returns a key that changes when a clip's source changes: path, size and time of its file, or the recipe of a sketch. `clip` is a path in
/// the folder of clips, or the name of a sketch. Returns an empty text if the file cannot be found. Reads no file.
std::string made_from(const Book& book, const std::string& clip);

/// Values by the keys of their sources. Thread: any.
template <class Value>
class Kept {
 public:
  std::optional<Value> find(const std::string& what) {
    const std::lock_guard lock(mutex_);
    const auto known = values_.find(what);
    if (known == values_.end()) return std::nullopt;
    known->second.round = round_;
    return known->second.value;
  }
  void keep(const std::string& what, const Value& value) {
    const std::lock_guard lock(mutex_);
    values_[what] = {value, round_};
  }
  /// Drops the values that no `find` or `keep` has named since the last call.
  void end_round() {
    const std::lock_guard lock(mutex_);
    std::erase_if(values_, [&](const auto& its) { return its.second.round != round_; });
    ++round_;
  }

 private:
  struct Of {
    Value value;
    std::uint64_t round = 0;
  };
  std::mutex mutex_;
  std::uint64_t round_ = 0;
  std::unordered_map<std::string, Of> values_;
};

/// Hashes of clips' contents. Thread: one at a time.
class KeptSums {
 public:
  /// Returns the kept hash of a clip. Clips that share their samples in memory and have one name share a hash.
  std::optional<std::uint64_t> find(const BankClip& clip) const {
    const auto known = sums_.find(clip.memory.get());
    if (clip.memory == nullptr || known == sums_.end() || known->second.name != clip.name) return std::nullopt;
    return known->second.sum;
  }
  void keep(const BankClip& clip, std::uint64_t sum) {
    if (clip.memory != nullptr) sums_[clip.memory.get()] = {clip.memory, clip.name, sum};
  }
  /// Drops the hashes of samples that only this object holds.
  void end_round() {
    std::erase_if(sums_, [](const auto& its) { return its.second.memory.use_count() == 1; });
  }

 private:
  struct Of {
    std::shared_ptr<const void> memory;  ///< held, so that no other clip comes to lie there
    std::string name;
    std::uint64_t sum = 0;
  };
  std::unordered_map<const void*, Of> sums_;
};

struct KeptClips {
  Kept<BankClip> clips;
  Kept<ClipFacts> facts;
  KeptSums sums;

  void end_round() {
    clips.end_round();
    facts.end_round();
    sums.end_round();
  }
};

}  // namespace tidewater
