#pragma once
/// Which options a manager accepts, and which of them decide what is heard: those stand in a journal's first line and in a saved state.

#include <cstdint>

#include "tidewater/journal.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {

inline constexpr std::uint32_t most_voices = 4096;
inline constexpr std::uint32_t most_playbacks = 1 << 22;
inline constexpr std::uint32_t most_emitters = 1 << 24;
inline constexpr std::uint32_t least_lines = 256, most_lines = 1 << 22;

/// Throws Error where an option is outside its range: it names the option, its value and the range.
ManagerOptions checked(ManagerOptions options);

/// Copies every option that a decision or a sample can depend on. ManagerOptions, noted::Head and DecidingOptions have them under the
/// same names. An option that is forgotten here is seen by the test that changes each option.
template <class To, class From>
void copy_deciding_options(To& to, const From& from) {
  to.rate = from.rate;
  to.seed = from.seed;
  to.voices = from.voices;
  to.playbacks = from.playbacks;
  to.emitters = from.emitters;
  to.quality = from.quality;
  to.layout = from.layout;
  to.limiter = from.limiter;
}

/// Options that must be equal where a saved state is restored. A journal records the effects of `offline` and `clip_memory` as requests.
struct DecidingOptions {
  Hertz rate;
  std::uint64_t seed = 0;
  std::uint32_t voices = 0, playbacks = 0, emitters = 0;
  Quality quality = {};
  Layout layout = {};
  bool limiter = false, offline = false;
  std::uint64_t clip_memory = 0;
};
DecidingOptions deciding(const ManagerOptions& options);
/// The first that differs, with both values: "voices: 64 when it was saved, 32 here". Empty where all are the same.
std::string difference(const DecidingOptions& saved, const DecidingOptions& here);

}  // namespace tidewater
