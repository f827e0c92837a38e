#pragma once
/// Quantities with their units: what a designer writes in the book and what a programmer passes in code.
///
///     using namespace tidewater::literals;
///     manager.set_gain("music", -6_dB, 200_ms);
///     Seconds delay = read_seconds("60 ms").value.value();
///
/// All types are small values; every function here is pure, safe on any thread, and never throws.

#include <compare>
#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <string_view>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// A level relative to full scale or to the level before it: 20 log10(amplitude). Minus infinity is silence.
struct Decibels {
  double value = 0;
  friend constexpr auto operator<=>(Decibels, Decibels) = default;
  friend constexpr Decibels operator+(Decibels a, Decibels b) { return {a.value + b.value}; }
  friend constexpr Decibels operator-(Decibels a, Decibels b) { return {a.value - b.value}; }
  constexpr Decibels operator-() const { return {-value}; }
};
inline constexpr Decibels silence{-std::numeric_limits<double>::infinity()};

/// A pitch interval of the equal-tempered scale: twelve to the octave, 12 log2(ratio).
struct Semitones {
  double value = 0;
  friend constexpr auto operator<=>(Semitones, Semitones) = default;
  friend constexpr Semitones operator+(Semitones a, Semitones b) { return {a.value + b.value}; }
  friend constexpr Semitones operator-(Semitones a, Semitones b) { return {a.value - b.value}; }
  constexpr Semitones operator-() const { return {-value}; }
};

struct Seconds {
  double value = 0;
  friend constexpr auto operator<=>(Seconds, Seconds) = default;
  friend constexpr Seconds operator+(Seconds a, Seconds b) { return {a.value + b.value}; }
  friend constexpr Seconds operator-(Seconds a, Seconds b) { return {a.value - b.value}; }
};

struct Hertz {
  double value = 0;
  friend constexpr auto operator<=>(Hertz, Hertz) = default;
};

/// The speed of a scope's time, from 0, on hold, to 4. 1 is full speed.
struct TimeScale {
  double value = 1;
  constexpr TimeScale(double its = 1) : value(its) {}  // NOLINT: a plain number is clear
  friend constexpr auto operator<=>(TimeScale, TimeScale) = default;
};

/// A share of the loudness, from 0, which is silence, to 1. Half sounds half as loud.
struct Share {
  double value = 1;
  constexpr Share(double its = 1) : value(its) {}  // NOLINT: a plain number is clear
  friend constexpr auto operator<=>(Share, Share) = default;
};

/// Where a sound stands on the screen: -1 is left, 0 the centre, 1 right.
struct Pan {
  double value = 0;
  friend constexpr auto operator<=>(Pan, Pan) = default;
};

struct Metres {
  double value = 0;
  friend constexpr auto operator<=>(Metres, Metres) = default;
};

/// Of an angle; 360 are a full turn.
struct Degrees {
  double value = 0;
  friend constexpr auto operator<=>(Degrees, Degrees) = default;
};

/// The speed of music, in beats a minute.
struct Tempo {
  double value = 0;
  friend constexpr auto operator<=>(Tempo, Tempo) = default;
};

/// Sample frames: one frame is one sample of every channel.
struct Frames {
  std::int64_t value = 0;
  friend constexpr auto operator<=>(Frames, Frames) = default;
  friend constexpr Frames operator+(Frames a, Frames b) { return {a.value + b.value}; }
  friend constexpr Frames operator-(Frames a, Frames b) { return {a.value - b.value}; }
};

/// Amplitude 1 is 0 dB. `amplitude(silence)` is exactly 0.
double amplitude(Decibels level);
/// Zero and below give `silence`.
Decibels decibels(double amplitude);
/// Playback ratio: 12 st is 2, -12 st is 0.5.
double ratio(Semitones interval);
Semitones semitones(double ratio);
/// Rounded to the nearest frame; within 2^62 either way, and 0 for what is not a number.
Frames frames(Seconds time, Hertz rate);
Seconds seconds(Frames count, Hertz rate);

/// How loud a level sounds beside the full one, from 0 to 1 and beyond: ten decibels down sounds half as loud
/// (S. S. Stevens, 'The measurement of loudness', 1955; the sone of ISO 532). What a volume slider should show.
double loudness_fraction(Decibels level);
Decibels from_loudness_fraction(double fraction);

/// What reading a piece of text gave: the quantity, or what is wrong with the text and how to mend it.
template <class T>
struct Read {
  std::optional<T> value;
  std::string problem;
};

/// Each reads one quantity with its unit, as in the book. Spaces around the number and the unit are free, and so is the case
/// of letters; a comma may stand for the point. What may mean two things is refused.
/// `read_decibels`  "-6 dB", "x0.5" (amplitude), "50 %" (how loud it sounds), "silent"; at most +24 dB
/// `read_semitones` "-2 st", "30 ct" (hundredths of a semitone), "x1.2" (playback ratio); from x0.125 to x8
/// `read_seconds`   "60 ms", "1.5 s", "2 min"; from zero to one hour
Read<Decibels> read_decibels(std::string_view text);
Read<Semitones> read_semitones(std::string_view text);
/// `read_hertz`     "800 Hz", "2 kHz"; from 10 Hz to 100 kHz
/// `read_pan`       "centre", "30 % left", "100 % right"
Read<Seconds> read_seconds(std::string_view text);
/// `read_loudness`  "-23 LUFS"; from -60 to -5
Read<Decibels> read_loudness(std::string_view text);
Read<Hertz> read_hertz(std::string_view text);
Read<Pan> read_pan(std::string_view text);
/// `read_metres`    "12 m", "30 cm", "1.5 km"; from zero to 100 km
Read<Metres> read_metres(std::string_view text);
/// `read_degrees`   "90 deg"; from zero to a full turn
Read<Degrees> read_degrees(std::string_view text);
/// `read_tempo`     "97 bpm"; from 10 to 1000
Read<Tempo> read_tempo(std::string_view text);

/// From `low` to `high`, both included. A range is drawn anew at each start, evenly in the unit's own scale.
template <class T>
struct Range {
  T low{};
  T high{};
  friend constexpr bool operator==(const Range&, const Range&) = default;
};

/// Each reads "a .. b", "a to b" or "+-a", or one value for a range of nothing. "-2 .. 2 st" gives the unit once for both ends.
Read<Range<Decibels>> read_decibel_range(std::string_view text);
Read<Range<Semitones>> read_semitone_range(std::string_view text);
Read<Range<Pan>> read_pan_range(std::string_view text);
Read<Range<Seconds>> read_second_range(std::string_view text);
Read<Range<Hertz>> read_hertz_range(std::string_view text);
/// `read_frame_range` "48000 .. 96000 frames"; `read_share` "30 %", from 0 to 1
Read<Range<Frames>> read_frame_range(std::string_view text);
Read<double> read_share(std::string_view text);
/// `read_amount`    "150 %", from 0 to 10
Read<double> read_amount(std::string_view text);

/// Text that the readers above take back to the very same value: "-6.5 dB", "silent", "2 st", "0.06 s".
std::string to_text(Decibels level);
std::string to_text(Semitones interval);
std::string to_text(Seconds time);
std::string to_text(Hertz frequency);
std::string to_text(Pan pan);
std::string to_text(Metres length);
std::string to_text(Degrees angle);
std::string to_text(Tempo tempo);

inline namespace literals {
constexpr Decibels operator""_dB(long double v) { return {static_cast<double>(v)}; }
constexpr Decibels operator""_dB(unsigned long long v) { return {static_cast<double>(v)}; }
constexpr Semitones operator""_st(long double v) { return {static_cast<double>(v)}; }
constexpr Semitones operator""_st(unsigned long long v) { return {static_cast<double>(v)}; }
constexpr Seconds operator""_s(long double v) { return {static_cast<double>(v)}; }
constexpr Seconds operator""_s(unsigned long long v) { return {static_cast<double>(v)}; }
constexpr Seconds operator""_ms(long double v) { return {static_cast<double>(v) / 1000}; }
constexpr Seconds operator""_ms(unsigned long long v) { return {static_cast<double>(v) / 1000}; }
constexpr Hertz operator""_Hz(long double v) { return {static_cast<double>(v)}; }
constexpr Hertz operator""_Hz(unsigned long long v) { return {static_cast<double>(v)}; }
constexpr Metres operator""_m(long double v) { return {static_cast<double>(v)}; }
constexpr Metres operator""_m(unsigned long long v) { return {static_cast<double>(v)}; }
constexpr Frames operator""_frames(unsigned long long v) { return {static_cast<std::int64_t>(v)}; }
}  // namespace literals

}  // namespace tidewater
