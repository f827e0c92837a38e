#pragma once
/// What is compared of one sound: loudness over its own time, spectrum, and where its spectrum lies.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "author/listen/octaves.hpp"
#include "author/listen/own_loudness.hpp"

namespace tidewater {

class SoundPrint {
 public:
  explicit SoundPrint(Hertz rate);

  /// Pieces of one run may overlap, and are added up.
  void add(std::int64_t from, std::span<const float> left, std::span<const float> right);
  void finish();

  Decibels integrated() const { return loudness_.integrated(); }
  bool heard() const { return loudness_.heard() > Seconds{}; }

  static constexpr double lowest_band = 50;
  static constexpr std::size_t band_count = 26;  ///< to 16 kHz
  /// Bands that differ by more than 1 dB, each relative to the level of its own sound; those 40 dB below the loudest do not count.
  static std::vector<std::pair<std::size_t, double>> differing_bands(const SoundPrint& one, const SoundPrint& other);
  /// Semitones from one to the other; 0 if no move of the spectrum fits.
  static double pitch_between(const SoundPrint& one, const SoundPrint& other);

 private:
  void analyse();

  OwnLoudness loudness_;
  Octaves thirds_, fine_;
  std::vector<float> run_, waiting_, waiting_fine_;
  std::int64_t from_ = -1;
  std::vector<double> powers_, fine_powers_;
};

}  // namespace tidewater
