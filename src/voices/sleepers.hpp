#pragma once
#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

#include "terms/claim.hpp"
#include "terms/scope_times.hpp"
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

  void reserve(std::size_t count) { who_.reserve(count), claims_.reserve(count), ends_.reserve(count), scopes_.reserve(count); }
  /// Adds a layer whose end is at frame `ends`.
  void add(LiveLayer& layer, Claim claim, ScopeFrame ends, bool near, ScopeNumber scope) {
    layer.bed = who_.size();
    who_.push_back(&layer);
    claims_.push_back(claim);
    ends_.push_back(ends);
    scopes_.push_back(scope);
    will_end(scope, ends);
    if (near) bring_near(layer, claim);
  }
  void remove(const LiveLayer& layer) {
    if (layer.bed < near_) swap(layer.bed, --near_);
    swap(layer.bed, who_.size() - 1);
    who_.pop_back();
    claims_.pop_back();
    ends_.pop_back();
    scopes_.pop_back();
  }
  void change(const LiveLayer& layer, Claim claim, ScopeFrame ends) {
    claims_[layer.bed] = claim;
    ends_[layer.bed] = ends;
    will_end(scopes_[layer.bed], ends);
  }
  void bring_near(const LiveLayer& layer, Claim claim) {
    claims_[layer.bed] = claim;
    if (layer.bed >= near_) swap(layer.bed, near_++);
  }
  void send_away(const LiveLayer& layer) {
    if (layer.bed < near_) swap(layer.bed, --near_);
  }

  static constexpr std::size_t none = ~std::size_t{0};
  /// Returns the bed with the strongest claim among the near beds whose scopes are not in `held`. Returns `none` if there is none.
  std::size_t strongest(ScopeMask held) const {
    if (held == 0)
      return static_cast<std::size_t>(std::max_element(claims_.begin(), claims_.begin() + static_cast<std::ptrdiff_t>(near_)) -
                                      claims_.begin());
    std::size_t best = none;
    for (std::size_t bed = 0; bed < near_; ++bed)
      if ((bit_of(scopes_[bed]) & held) == 0 && (best == none || claims_[best] < claims_[bed])) best = bed;
    return best;
  }
  ScopeNumber scope(std::size_t bed) const { return scopes_[bed]; }
  Claim claim(std::size_t bed) const { return claims_[bed]; }
  bool ended(std::size_t bed, ScopeFrame now) const { return ends_[bed] <= now; }
  /// Returns the scopes in which a layer may have slept past its end. `now(scope)` is the present time of a scope.
  template <class Now>
  ScopeMask any_ended(Now now) {
    ScopeMask past = 0, any = 0;
    each_scope(ending_, [&](ScopeNumber scope) {
      if (none_before_[scope] > now(scope)) return;
      past |= bit_of(scope);
      none_before_[scope] = never;
    });
    if (past == 0) return 0;
    for (std::size_t bed = 0; bed < ends_.size(); ++bed)
      if ((bit_of(scopes_[bed]) & past) != 0) none_before_[scopes_[bed]] = std::min(none_before_[scopes_[bed]], ends_[bed]);
    each_scope(past, [&](ScopeNumber scope) {
      if (none_before_[scope] == never) ending_ &= ~bit_of(scope);
      if (none_before_[scope] <= now(scope)) any |= bit_of(scope);
    });
    return any;
  }

  template <class State, class Layer>
  void state(State& s, Layer layer) {
    s.each(who_, layer);
    s.list(claims_);
    s.list(ends_);
    s.list(scopes_);
    s(none_before_, ending_, near_);
    s.list(brought_near_);
  }

 private:
  static constexpr std::array<ScopeFrame, most_scopes> all_never() {
    std::array<ScopeFrame, most_scopes> all;
    all.fill(never);
    return all;
  }
  void will_end(ScopeNumber scope, ScopeFrame ends) {
    none_before_[scope] = std::min(none_before_[scope], ends);
    if (ends != never) ending_ |= bit_of(scope);
  }
  void swap(std::size_t a, std::size_t b) {
    if (a == b) return;
    std::swap(who_[a], who_[b]);
    std::swap(claims_[a], claims_[b]);
    std::swap(ends_[a], ends_[b]);
    std::swap(scopes_[a], scopes_[b]);
    who_[a]->bed = a;
    who_[b]->bed = b;
  }

  std::vector<LiveLayer*> who_;
  std::vector<Claim> claims_;
  std::vector<ScopeFrame> ends_;
  std::vector<ScopeNumber> scopes_;
  std::size_t near_ = 0;
  std::vector<StartRef> brought_near_;
  /// The earliest end in each scope when it was last computed. Its layer may be gone since.
  std::array<ScopeFrame, most_scopes> none_before_ = all_never();
  ScopeMask ending_ = 0;  ///< scopes that have an end
};

}  // namespace tidewater
