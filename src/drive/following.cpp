#include "drive/following.hpp"

#include <algorithm>

namespace tidewater {

Following::Following(const BankSound& sound, const std::function<std::uint32_t(Name)>& number) : layers_(sound.layers.size()) {
  add(sound.follow, whole_sound, number);
  for (std::size_t l = 0; l < sound.layers.size(); ++l) add(sound.layers[l].follow, l, number);
  loudest_ = sum([](const Follow&, const BendCurve& curve) { return curve.most(); });
}

void Following::add(const std::vector<FollowDesign>& designs, std::size_t layer, const std::function<std::uint32_t(Name)>& number) {
  for (const FollowDesign& design : designs) {
    const auto word = std::find(ready_gauge_words.begin(), ready_gauge_words.end(), design.gauge);
    const bool ready = word != ready_gauge_words.end();
    const Gauge gauge{ready, ready ? static_cast<std::uint32_t>(word - ready_gauge_words.begin()) : number(Name(design.gauge)), design.on};
    if (!ready && gauge.number == ~0U) continue;
    auto its = std::find_if(gauges_.begin(), gauges_.end(), [&](const Gauge& known) {
      return known.ready == gauge.ready && known.number == gauge.number && known.on == gauge.on;
    });
    if (its == gauges_.end() && gauges_.size() == most_followed) continue;
    if (its == gauges_.end()) its = gauges_.insert(gauges_.end(), gauge);
    waits_ = waits_ || gauge.on.has_value();
    Follow& follow = follows_.emplace_back(Follow{static_cast<std::size_t>(its - gauges_.begin()), layer, ready, &design, {}});
    for (const CurveDesign& curve : design.curves) {
      follow.curves.emplace_back(curve, design.between);
      bends_levels_ = bends_levels_ || (!ready && curve.bends == Bends::gain);
    }
  }
}

Bent Following::bend(std::size_t layer, const Values& values, bool in_world) const {
  Bent bent;
  for (const Follow& follow : follows_) {
    if (follow.layer != whole_sound && follow.layer != layer) continue;
    for (const BendCurve& curve : follow.curves) {
      if (in_world && follow.ready && follow.layer == whole_sound && curve.bends() == Bends::gain) continue;
      const double value = curve.at(values[follow.gauge]);
      switch (curve.bends()) {
        case Bends::gain: bent.gain = bent.gain + Decibels{value}; break;
        case Bends::pitch: bent.pitch = bent.pitch + Semitones{value}; break;
        case Bends::low_pass: bent.low_pass = Bent::lower(bent.low_pass, {value}); break;
        case Bends::high_pass: bent.high_pass = std::max(bent.high_pass, {value}); break;
        case Bends::cadence: break;  // of the sound, not of what has started
      }
    }
  }
  return bent;
}

std::optional<Following::By> Following::quietened_by(std::size_t layer, const Values& values) const {
  std::optional<By> found;
  double least = 0;
  for (const Follow& follow : follows_) {
    if (follow.layer != whole_sound && follow.layer != layer) continue;
    for (const BendCurve& curve : follow.curves)
      if (const double gain = curve.at(values[follow.gauge]); curve.bends() == Bends::gain && gain < least) {
        least = gain;
        found = By{follow.design->gauge, values[follow.gauge]};
      }
  }
  return found;
}

std::optional<Following::By> Following::held_by(const Values& values) const {
  for (const Follow& follow : follows_)
    for (const BendCurve& curve : follow.curves)
      if (curve.bends() == Bends::cadence && curve.at(values[follow.gauge]) <= 0) return By{follow.design->gauge, values[follow.gauge]};
  return std::nullopt;
}

double Following::times_as_often(const Values& values) const {
  double times = 1;
  for (const Follow& follow : follows_)
    for (const BendCurve& curve : follow.curves)
      if (curve.bends() == Bends::cadence) times *= curve.at(values[follow.gauge]);
  return times;
}

/// Of the whole, and of the layer that has the most, by what `of(follow, curve)` says of each curve of levels.
template <class Of>
Level Following::sum(Of of) const {
  std::array<Decibels, most_layers> layers{};
  Decibels whole;
  for (const Follow& follow : follows_)
    for (const BendCurve& curve : follow.curves)
      if (curve.bends() == Bends::gain) {
        Decibels& to = follow.layer == whole_sound ? whole : layers[follow.layer];
        to = to + Decibels{of(follow, curve)};
      }
  return Level(whole + *std::max_element(layers.begin(), layers.begin() + static_cast<std::ptrdiff_t>(std::max<std::size_t>(layers_, 1))));
}

Level Following::louder(const Values& values) const {
  return sum([&](const Follow& follow, const BendCurve& curve) { return follow.ready ? 0.0 : curve.at(values[follow.gauge]); });
}

}  // namespace tidewater
