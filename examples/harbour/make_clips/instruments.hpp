#pragma once
/// Small instruments that the harbour's clips are made with. All at 48 kHz, mono, as doubles; nothing here is in a hurry.

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <string>
#include <vector>

#include "base/random.hpp"

namespace harbour {

using tidewater::Random;
using Samples = std::vector<double>;

constexpr double rate = 48000;
inline std::size_t length(double seconds) { return static_cast<std::size_t>(seconds * rate); }

struct Clip {
  std::string name;  ///< file name without its ending
  std::vector<Samples> channels;
  double peak;         ///< amplitude that it is brought to
  bool lossy = false;  ///< long noises are kept as Ogg Vorbis
};

// The rooms of the harbour: each makes its clips.
std::vector<Clip> ambience();
std::vector<Clip> foley();
std::vector<Clip> music();
std::vector<Clip> people();

/// Two poles at a frequency: rings when struck, filters when fed. (R. Bristow-Johnson's cookbook gives the band-pass form.)
class Resonator {
 public:
  Resonator(double hertz, double quality) { tune(hertz, quality); }
  void tune(double hertz, double quality) {
    const double w = 2 * std::numbers::pi * std::min(hertz, rate * 0.45) / rate;
    const double alpha = std::sin(w) / (2 * quality);
    b_ = alpha / (1 + alpha);
    a1_ = -2 * std::cos(w) / (1 + alpha);
    a2_ = (1 - alpha) / (1 + alpha);
  }
  double operator()(double x) {
    const double y = b_ * (x - x2_) - a1_ * y1_ - a2_ * y2_;
    x2_ = x1_;
    x1_ = x;
    y2_ = y1_;
    y1_ = y;
    return y;
  }

 private:
  double b_ = 0, a1_ = 0, a2_ = 0, x1_ = 0, x2_ = 0, y1_ = 0, y2_ = 0;
};

/// One pole: darkens.
class Softener {
 public:
  explicit Softener(double hertz) : k_(1 - std::exp(-2 * std::numbers::pi * hertz / rate)) {}
  void tune(double hertz) { k_ = 1 - std::exp(-2 * std::numbers::pi * hertz / rate); }
  double operator()(double x) { return y_ += k_ * (x - y_); }

 private:
  double k_;
  double y_ = 0;
};

inline double noise(Random& random) { return random.between(-1, 1); }
inline double sine(double turns) { return std::sin(2 * std::numbers::pi * turns); }

/// Rises in `attack`, then falls by 60 dB in `decay`, both in seconds.
inline double envelope(double t, double attack, double decay) {
  return t < 0 ? 0 : t < attack ? t / attack : std::exp(-6.9 * (t - attack) / decay);
}

/// A struck body: partials that ring each at its own frequency (ratio to the first) and die away each in its own time.
struct Mode {
  double ratio, level, decay;
};
inline Samples strike(double hertz, const std::vector<Mode>& modes, double seconds, double attack = 0.001) {
  Samples out(length(seconds));
  for (const Mode& mode : modes) {
    if (hertz * mode.ratio > rate * 0.45) continue;
    for (std::size_t i = 0; i < out.size(); ++i) {
      const double t = static_cast<double>(i) / rate;
      out[i] += mode.level * envelope(t, attack, mode.decay) * sine(hertz * mode.ratio * t);
    }
  }
  return out;
}

/// A plucked string (K. Karplus, A. Strong, 'Digital synthesis of plucked-string and drum timbres', 1983), softened.
inline Samples pluck(double hertz, double seconds, double brightness, Random& random) {
  const double period = rate / hertz - 0.5;
  const auto whole = static_cast<std::size_t>(period);
  Samples string(whole + 2);
  Softener finger(brightness);
  for (double& x : string) x = finger(noise(random));
  Samples out(length(seconds));
  const double part = period - static_cast<double>(whole);
  double last = 0;
  for (std::size_t i = 0; i < out.size(); ++i) {
    const std::size_t at = i % whole;
    const double x = string[at] * (1 - part) + string[(at + 1) % whole] * part;
    out[i] = x;
    string[at] = 0.997 * 0.5 * (x + last);
    last = x;
  }
  return out;
}

inline void add(Samples& to, const Samples& what, double at_seconds, double level = 1) {
  const std::size_t from = length(at_seconds);
  if (to.size() < from + what.size()) to.resize(from + what.size());
  for (std::size_t i = 0; i < what.size(); ++i) to[from + i] += level * what[i];
}

/// Cross-fades the tail over the head with equal power, so that the rest loops without a seam.
inline Samples seamless(const Samples& long_one, double overlap_seconds) {
  const std::size_t overlap = length(overlap_seconds);
  Samples out(long_one.begin(), long_one.end() - static_cast<std::ptrdiff_t>(overlap));
  for (std::size_t i = 0; i < overlap; ++i) {
    const double x = static_cast<double>(i) / static_cast<double>(overlap) * std::numbers::pi / 2;
    out[i] = long_one[i] * std::sin(x) + long_one[out.size() + i] * std::cos(x);
  }
  return out;
}

/// Lets the last milliseconds fall to nothing, so that the end does not click.
inline Samples ended(Samples x, double seconds = 0.01) {
  const std::size_t tail = std::min(length(seconds), x.size());
  for (std::size_t i = 0; i < tail; ++i) x[x.size() - 1 - i] *= static_cast<double>(i) / static_cast<double>(tail);
  return x;
}

}  // namespace harbour
