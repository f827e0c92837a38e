#pragma once
/// What of a bank takes the room, and how it could take less.

#include <cstdint>
#include <string>
#include <vector>

#include "tidewater/bank.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

/// A clip, or all clips of a sound or a group.
struct Weight {
  std::string name;
  std::uint64_t bytes = 0;  ///< of samples, or of the file that streams and its head
  std::size_t clips = 0;
  Seconds length;    ///< of all of them
  std::string how;   ///< "16 bits", "floats", or what streams, as "Ogg, streams"; several of them where there are
  double ratio = 0;  ///< bytes beside those of 16 bits at the bank's rate
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

}  // namespace tidewater
