#pragma once
#include <algorithm>
#include <utility>
#include <vector>

#include "base/fetch.hpp"
#include "terms/claim.hpp"
#include "voices/free_voices.hpp"
#include "voices/live.hpp"

namespace tidewater {

/// The data that an update needs of each layer with a voice. They lie side by side, because looking up each layer would wait for memory.
struct OnVoice {
  StartRef start;
  std::uint32_t group = 0;
  const PlayedSound* sound = nullptr;  ///< null if the voice is free
  int rank = 0;
  bool in_world = false;
  bool sounding = false;  ///< it was not told to go
  Level own;              ///< its level before its group and its place
  HeardFrom from;         ///< how it is heard now; while it has a voice this holds, not the start's
  HeardFrom sent;         ///< what the mixer was last sent
};

/// The mixer's voices: which layer each has, and with what claim.
class VoicePool {
 public:
  static constexpr std::uint32_t none = ~0U;

  explicit VoicePool(std::size_t voices) : owners_(voices), claims_(voices, Claim::none()), on_(voices), free_(voices) {}

  std::size_t free() const { return free_.size(); }
  /// A voice may be taken soon.
  void fetch_next() const {
    if (free_.empty()) return;
    const std::uint32_t voice = free_.lowest();
    fetch(owners_.data() + voice, 1);
    fetch(claims_[voice]);
    fetch(on_[voice]);
  }
  std::uint32_t take(LiveLayer& layer) {
    const std::uint32_t voice = free_.take();
    owners_[voice] = &layer;
    return voice;
  }
  /// The voice has finished.
  LiveLayer& give_back(std::uint32_t voice) {
    claims_[voice] = Claim::none();
    on_[voice].sound = nullptr;
    free_.put(voice);
    return *std::exchange(owners_[voice], nullptr);
  }

  /// By voice; null if the voice is free.
  const std::vector<LiveLayer*>& owners() const { return owners_; }
  std::vector<OnVoice>& on() { return on_; }
  const std::vector<OnVoice>& on() const { return on_; }
  void claim(std::uint32_t voice, Claim claim) { claims_[voice] = claim; }
  void claim_nothing(std::uint32_t voice) {
    claims_[voice] = Claim::none();
    on_[voice].sounding = false;
  }
  Claim claim_on(std::uint32_t voice) const { return claims_[voice]; }
  /// The voice with the weakest claim; any voice if nothing sounds.
  std::uint32_t weakest() const { return static_cast<std::uint32_t>(std::min_element(claims_.begin(), claims_.end()) - claims_.begin()); }

  /// The same among those for which `leaves(layer)` is false. Returns `none` if there are no others.
  template <class Leaves>
  std::uint32_t weakest_but(Leaves leaves) const {
    std::uint32_t weakest = none;
    Claim least = Claim::none();
    for (std::uint32_t voice = 0; voice < claims_.size(); ++voice)
      if (claims_[voice] < least && !leaves(*owners_[voice])) {
        least = claims_[voice];
        weakest = voice;
      }
    return weakest;
  }

  /// `layer(pointer)` keeps whom a voice belongs to.
  template <class State, class Layer>
  void state(State& s, Layer layer) {
    s.each(owners_, layer);
    s.list(claims_);
    s.list(on_);  // whose sound is one of a layer's: that is found again by it
    if (on_.size() != owners_.size() || claims_.size() != owners_.size()) s.damage();
    if (!s.ok()) return;
    if constexpr (State::reading)
      for (std::size_t voice = 0; voice < owners_.size(); ++voice)
        on_[voice].sound = owners_[voice] == nullptr ? nullptr : owners_[voice]->start->sound;
    free_.state(s);
  }

 private:
  std::vector<LiveLayer*> owners_;
  std::vector<Claim> claims_;  ///< `Claim::none()` if nothing sounds
  std::vector<OnVoice> on_;
  FreeVoices free_;
};

}  // namespace tidewater
