#include "tidewater/author/sketch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "base/nearest.hpp"
#include "base/random.hpp"
#include "dsp/state_filter.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr double rate = sketch_rate.value;
constexpr double dying = 6.907755278982137;  // ln 1000: 60 dB
constexpr Seconds longest_sketch{60};
constexpr double last_fade = 0.004;  // so that no end clicks

/// What the source gives at each frame, at about full scale.
class Source {
 public:
  Source(SketchSource kind, Random& random, double hertz)
      : kind_(kind), random_(random), string_(static_cast<std::size_t>(std::max(2.0, rate / hertz))) {
    for (double& x : string_) x = random_.between(-1, 1);
  }

  double next(double hertz, double age) {
    phase_ += 2 * std::numbers::pi * hertz / rate;
    switch (kind_) {
      case SketchSource::tone: return 0.8 * std::sin(phase_) + 0.15 * std::sin(2 * phase_) + 0.05 * std::sin(3 * phase_);
      case SketchSource::noise: return random_.between(-1, 1);
      case SketchSource::pluck: return pluck();
      case SketchSource::bell: return bell(age);
      case SketchSource::crackle: return crackle(hertz);
    }
    return 0;
  }

 private:
  /// K. Karplus, A. Strong, 'Digital synthesis of plucked-string and drum timbres', 1983.
  double pluck() {
    const std::size_t after = at_ + 1 == string_.size() ? 0 : at_ + 1;
    const double out = string_[at_];
    string_[at_] = 0.498 * (string_[at_] + string_[after]);
    at_ = after;
    return out;
  }
  /// A bar's partials; the high ones die first.
  double bell(double age) const {
    constexpr std::array<double, 4> partials = {1, 2.756, 5.404, 8.933};
    double sum = 0;
    for (std::size_t i = 0; i < partials.size(); ++i)
      sum += std::sin(partials[i] * phase_) * std::exp(-age * 4 * static_cast<double>(i)) / static_cast<double>(1 + 2 * i);
    return sum / 1.6;
  }
  double crackle(double a_second) {
    if (random_.unit() < a_second / rate) spark_ = random_.between(0.2, 1) * (random_.below(2) == 0 ? -1 : 1);
    spark_ *= 0.93;
    return spark_;
  }

  SketchSource kind_;
  Random& random_;
  std::vector<double> string_;
  std::size_t at_ = 0;
  double phase_ = 0;
  double spark_ = 0;
};

/// A loop's end is blended into its beginning.
void close_loop(std::vector<float>& samples) {
  const std::size_t blend = samples.size() / 8;
  for (std::size_t i = 0; i < blend; ++i) {
    const double at = (static_cast<double>(i) + 0.5) / static_cast<double>(blend) * std::numbers::pi / 2;
    float& end = samples[samples.size() - blend + i];
    end = static_cast<float>(static_cast<double>(end) * std::cos(at) + static_cast<double>(samples[i]) * std::sin(at));
  }
  samples.erase(samples.begin(), samples.begin() + static_cast<std::ptrdiff_t>(blend));
}

}  // namespace

void check_recipe(const Recipe& recipe) {
  if (recipe.length <= Seconds{0} || recipe.length > longest_sketch)
    throw Error(fmt::format("a sketch of {:.3f} s cannot be made; its length must be above zero and at most {:.0f} s", recipe.length.value,
                            longest_sketch.value));
  if (recipe.attack.value > recipe.length.value)
    throw Error(fmt::format("its attack of {:.0f} ms is longer than the whole sketch of {:.0f} ms; make one shorter, or the other longer",
                            recipe.attack.value * 1000, recipe.length.value * 1000));
}

std::vector<float> make_sketch(const Recipe& recipe, std::uint64_t seed, std::uint32_t variant) {
  check_recipe(recipe);
  Random random(seed_for(seed, variant));
  const bool varied = variant > 0;
  const double pitch = recipe.pitch.value * (varied ? ratio({random.between(-1, 1)}) : 1);
  const double length = recipe.length.value * (varied ? random.between(0.9, 1.1) : 1);
  const double colour = varied ? std::exp2(random.between(-0.3, 0.3)) : 1;
  std::vector<float> samples(std::max<std::size_t>(1, static_cast<std::size_t>(length * rate)));
  const std::size_t notes = std::max<std::size_t>(1, recipe.notes.size());
  const double note_length = length / static_cast<double>(notes);
  for (std::size_t note = 0; note < notes; ++note) {
    const double first = pitch * (recipe.notes.empty() ? 1 : ratio(recipe.notes[note]));
    Source source(recipe.source, random, first);
    const auto begin = static_cast<std::size_t>(static_cast<double>(note) * note_length * rate);
    const std::size_t end =
        note + 1 == notes ? samples.size() : static_cast<std::size_t>(static_cast<double>(note + 1) * note_length * rate);
    for (std::size_t i = begin; i < end; ++i) {
      const double age = static_cast<double>(i - begin) / rate;
      const double left = static_cast<double>(end - i) / rate;
      const double part = age / note_length;
      const double rise = recipe.hold || recipe.attack.value <= 0 ? 1 : std::min(1.0, age / recipe.attack.value);
      const double fall = recipe.hold ? 1 : std::exp(-dying * part) * std::min(1.0, left / last_fade);
      samples[i] = static_cast<float>(source.next(first * ratio({recipe.glide.value * part}), age) * rise * fall);
    }
  }
  for (const auto& [kind, hertz] :
       {std::pair{StateFilter::Kind::low_pass, recipe.low_pass}, {StateFilter::Kind::high_pass, recipe.high_pass}}) {
    if (hertz <= Hertz{0}) continue;
    StateFilter filter(kind);
    filter.tune(hertz.value * colour, rate, 0);
    filter.run(samples.data(), nullptr, static_cast<int>(samples.size()));
  }
  if (recipe.hold) close_loop(samples);
  float peak = 0;
  for (const float x : samples) peak = std::max(peak, std::abs(x));
  const float gain = peak > 0 ? static_cast<float>(amplitude(recipe.level)) / peak : 0;
  for (float& x : samples) x *= gain;
  return samples;
}

const Recipe& ready_recipe(std::string_view name) {
  std::vector<std::string_view> names;
  for (const auto& ready : ready_recipes()) {
    if (ready.name == name) return ready.recipe;
    names.push_back(ready.name);
  }
  throw Error(fmt::format("there is no recipe '{}'{}; `tidewater sketch --list` names them all", name, did_you_mean(name, names)));
}

}  // namespace tidewater
