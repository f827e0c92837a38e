#pragma once
/// A tap: hears parts of a mix from the inside, for tools that render offline. In a game there is none.

#include <array>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <functional>
#include <utility>

#include "mix/voice.hpp"

namespace tidewater {

/// What is heard is the difference between a bus before and after something was added to it. It is exact to the rounding of that sum, some
/// 140 dB below the loudest sample of the bus. No sample of the mix changes.
class MixTap {
 public:
  /// The front pair of what was added in a run of `frames` frames from `from` on.
  using Take = std::function<void(std::uint32_t number, MixFrame from, const float* left, const float* right, int frames)>;

  MixTap(Take voices, Take groups) : voices_(std::move(voices)), groups_(std::move(groups)) {}

  /// Before a voice or a group is added to a bus.
  void before(const Bus& bus, int frames) {
    for (std::size_t c = 0; c < 2; ++c) std::memcpy(kept_[c].data(), bus.channel(c), static_cast<std::size_t>(frames) * sizeof(float));
  }
  void voice_added(std::uint32_t voice, MixFrame from, const Bus& bus, int frames) { hand_on(voices_, voice, from, bus, frames); }
  /// After its own level.
  void group_added(std::uint32_t group, MixFrame from, const Bus& bus, int frames) { hand_on(groups_, group, from, bus, frames); }

 private:
  void hand_on(const Take& take, std::uint32_t number, MixFrame from, const Bus& bus, int frames) {
    if (!take) return;
    for (std::size_t c = 0; c < 2; ++c)
      for (std::size_t i = 0; i < static_cast<std::size_t>(frames); ++i) kept_[c][i] = bus.channel(c)[i] - kept_[c][i];
    take(number, from, kept_[0].data(), kept_[1].data(), frames);
  }

  Take voices_, groups_;
  std::array<std::array<float, most_run>, 2> kept_{};
};

}  // namespace tidewater
