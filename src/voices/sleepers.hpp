#pragma once
#include <algorithm>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

#include "terms/claim.hpp"
#include "voices/live.hpp"

namespace tidewater {

/// Layers that keep their place in time without a voice. What every update needs of them lies side by side, so that ten thousand cost
/// little. The first `near()` may be heard if they get a voice. The layers behind them are out in the world until `bring_near`: there may
/// be a hundred thousand, and their claims are not looked at.
class Sleepers {
 public:
  static constexpr ScopeFrame never = ScopeFrame::never();

  std::size_t size() const { return who_.size(); }
  bool empty() const { return who_.empty(); }
  LiveLayer& operator[](std::size_t bed) const { return *who_[bed]; }
  /// How many of the first layers are near.
  std::size_t near() const { return near_; }
  /// Starts in the world that the last update brought near.
  std::vector<StartRef>& brought_near() { return brought_near_; }

  void reserve(std::size_t count) { who_.reserve(count), claims_.reserve(count), ends_.reserve(count); }
  /// Adds a layer whose end is at frame `ends`.
  void add(LiveLayer& layer, Claim claim, ScopeFrame ends, bool near) {
    layer.bed = who_.size();
    who_.push_back(&layer);
    claims_.push_back(claim);
    ends_.push_back(ends);
    none_before_ = std::min(none_before_, ends);
    if (near) bring_near(layer, claim);
  }
  void remove(const LiveLayer& layer) {
    if (layer.bed < near_) swap(layer.bed, --near_);
    swap(layer.bed, who_.size() - 1);
    who_.pop_back();
    claims_.pop_back();
    ends_.pop_back();
  }
  void change(const LiveLayer& layer, Claim claim, ScopeFrame ends) {
    claims_[layer.bed] = claim;
    ends_[layer.bed] = ends;
    none_before_ = std::min(none_before_, ends);
  }
  void bring_near(const LiveLayer& layer, Claim claim) {
    claims_[layer.bed] = claim;
    if (layer.bed >= near_) swap(layer.bed, near_++);
  }
  void send_away(const LiveLayer& layer) {
    if (layer.bed < near_) swap(layer.bed, --near_);
  }

  /// The bed with the strongest claim among the near ones. There must be one.
  std::size_t strongest() const {
    return static_cast<std::size_t>(std::max_element(claims_.begin(), claims_.begin() + static_cast<std::ptrdiff_t>(near_)) -
                                    claims_.begin());
  }
  Claim claim(std::size_t bed) const { return claims_[bed]; }
  bool ended(std::size_t bed, ScopeFrame now) const { return ends_[bed] <= now; }
  /// Whether a layer may have slept past its end.
  bool any_ended(ScopeFrame now) {
    if (now < none_before_) return false;
    none_before_ = ends_.empty() ? never : *std::min_element(ends_.begin(), ends_.end());
    return now >= none_before_;
  }

  template <class State, class Layer>
  void state(State& s, Layer layer) {
    s.each(who_, layer);
    s.list(claims_);
    s.list(ends_);
    s(none_before_, near_);
    s.list(brought_near_);
  }

 private:
  void swap(std::size_t a, std::size_t b) {
    if (a == b) return;
    std::swap(who_[a], who_[b]);
    std::swap(claims_[a], claims_[b]);
    std::swap(ends_[a], ends_[b]);
    who_[a]->bed = a;
    who_[b]->bed = b;
  }

  std::vector<LiveLayer*> who_;
  std::vector<Claim> claims_;
  std::vector<ScopeFrame> ends_;
  std::size_t near_ = 0;
  std::vector<StartRef> brought_near_;
  ScopeFrame none_before_ = never;  ///< the earliest end when it was last looked for; that layer may be gone
};

}  // namespace tidewater
