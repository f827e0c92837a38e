#pragma once
/// What of a bank takes the room, and how it could take less.

#include <cstdint>
#include <string>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// A clip, or all clips of a sound or a group.
struct Weight {
  std::string name;
  std::uint64_t bytes = 0;  ///< of samples, or of the file that streams and its head
  std::size_t clips = 0;
  Seconds length;    ///< of all of them
  std::string how;   ///< "16 bits", "floats", or what streams, as "Ogg, streams"; several of them where there are
  double ratio = 0;  ///< bytes beside those of 16 bits at the bank's rate
  // Of a clip, whose it is; of one that several sounds use, "(several)" where they are not one.
  std::string sound = {}, group = {};
  bool streams = false;
};

struct WeightAdvice {
  std::string clip;
  std::uint64_t bytes = 0;  ///< that would be saved
  std::string text;         ///< what it is, and what to do
};

/// The heaviest first. A clip that several sounds use is parted evenly among them, so that shares add up to all.
struct Weights {
  std::uint64_t bytes = 0;  ///< of all clips
  std::vector<Weight> clips, sounds, groups;
  std::vector<WeightAdvice> advice;
};

/// Throws Error where a file that streams cannot be read. Thread: any. Reads all samples that are in memory.
Weights weigh(const Bank& bank);

/// A clip that one of two banks has otherwise than the other, or alone.
struct WeightChange {
  std::string clip;
  std::uint64_t before = 0, now = 0;  ///< bytes; 0 where it is not there
};

/// What an update of a bank costs who has another version: the largest first.
struct UpdateCost {
  std::vector<WeightChange> changes;
  std::uint64_t fresh = 0;  ///< bytes of clips that are new or otherwise: what a patch would have
  std::uint64_t kept = 0;   ///< of those that are the same, bit for bit
  std::uint64_t gone = 0;   ///< of those that are no more, or were otherwise
};
UpdateCost weigh_update(const Bank& before, const Bank& now);

}  // namespace tidewater
