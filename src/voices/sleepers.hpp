#pragma once
#include <algorithm>
#include <cstdint>
#include <limits>
#include <vector>

#include "voices/claim.hpp"

namespace tidewater {

struct LiveLayer;

/// Those that keep their place without a voice, in no order that matters. What every update asks of all of them lies side by side, so
/// that ten thousand cost little.
class Sleepers {
 public:
  static constexpr std::int64_t never = std::numeric_limits<std::int64_t>::max();

  std::size_t size() const { return who_.size(); }
  bool empty() const { return who_.empty(); }
  LiveLayer& operator[](std::size_t bed) const { return *who_[bed]; }

  void reserve(std::size_t count) { who_.reserve(count), claims_.reserve(count), ends_.reserve(count); }
  /// Returns its bed. At frame `ends` it will have slept past its end.
  std::size_t add(LiveLayer& layer, Claim claim, std::int64_t ends) {
    who_.push_back(&layer);
    claims_.push_back(claim);
    ends_.push_back(ends);
    none_before_ = std::min(none_before_, ends);
    return who_.size() - 1;
  }
  /// Gives a bed to the last of them; returns that one, or null where it was the last itself.
  LiveLayer* remove(std::size_t bed) {
    const bool last = bed + 1 == size();
    who_[bed] = who_.back();
    claims_[bed] = claims_.back();
    ends_[bed] = ends_.back();
    who_.pop_back();
    claims_.pop_back();
    ends_.pop_back();
    return last ? nullptr : who_[bed];
  }
  void change(std::size_t bed, Claim claim, std::int64_t ends) {
    claims_[bed] = claim;
    ends_[bed] = ends;
    none_before_ = std::min(none_before_, ends);
  }

  /// The bed of the strongest claim; there must be one.
  std::size_t strongest() const { return static_cast<std::size_t>(std::max_element(claims_.begin(), claims_.end()) - claims_.begin()); }
  Claim claim(std::size_t bed) const { return claims_[bed]; }
  bool ended(std::size_t bed, std::int64_t now) const { return ends_[bed] <= now; }
  /// Whether one of them may have slept past its end.
  bool any_ended(std::int64_t now) {
    if (now < none_before_) return false;
    none_before_ = ends_.empty() ? never : *std::min_element(ends_.begin(), ends_.end());
    return now >= none_before_;
  }

  template <class State, class Layer>
  void state(State& s, Layer layer) {
    s.each(who_, layer);
    s.list(claims_);
    s.list(ends_);
    s(none_before_);
  }

 private:
  std::vector<LiveLayer*> who_;
  std::vector<Claim> claims_;
  std::vector<std::int64_t> ends_;
  std::int64_t none_before_ = never;  ///< an end; it may be gone
};

}  // namespace tidewater
