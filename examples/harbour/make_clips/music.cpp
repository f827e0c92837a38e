#include "instruments.hpp"

namespace harbour {
namespace {

double hertz(int note) { return 440 * std::exp2((note - 69) / 12.0); }

/// One of the instruments that play eight slow bars, in D dorian, and two more as an ending; made for this harbour.
struct Stem {
  static constexpr double beat = 60.0 / 76;
  static constexpr double round = 32, all = 40;  ///< beats
  Samples left, right;

  Stem() : left(length(all * beat)), right(length(all * beat)) {}

  /// Mixes a note into the round. Its tail beyond the end of the round is heard at the head of the next round, and in the ending.
  void place(const Samples& what, double at_beat, double level, double side) {
    const std::size_t from = length(at_beat * beat), end_of_round = length(round * beat);
    const double angle = (side + 1) * std::numbers::pi / 4;
    for (std::size_t i = 0; i < what.size(); ++i) {
      const auto add = [&](std::size_t at) {
        if (at >= left.size()) return;
        left[at] += level * std::cos(angle) * what[i];
        right[at] += level * std::sin(angle) * what[i];
      };
      add(from + i);
      if (at_beat < round && from + i >= end_of_round) add(from + i - end_of_round);
    }
  }
};

struct Song {
  Stem strings, reeds;
};

Samples reed(double pitch, double seconds) {
  Samples out(length(seconds));
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double swell = std::pow(std::sin(std::numbers::pi * t / seconds), 1.5);
    const double wave = t * pitch + 0.002 * sine(4.6 * t);
    out[i] = swell * (sine(wave) + 0.4 * sine(2 * wave) + 0.18 * sine(3 * wave) + 0.09 * sine(4.002 * wave) + 0.06 * sine(5 * wave));
  }
  return out;
}

Song make_song() {
  Song song;
  Random random(101);
  struct Note {
    double beat;
    int pitch;
  };
  const std::vector<Note> line = {{0, 62},  {1.5, 65},  {2, 69},  {3.5, 67},  {4, 65},    {5.5, 64}, {6, 62},    {8, 60},  {9.5, 64},
                                  {10, 67}, {11.5, 65}, {12, 64}, {13.5, 62}, {14, 57},   {16, 62},  {17, 69},   {18, 72}, {19.5, 71},
                                  {20, 69}, {21.5, 67}, {22, 65}, {24, 67},   {25.5, 65}, {26, 64},  {27.5, 60}, {28, 62}, {30, 57}};
  for (const Note& note : line)
    song.strings.place(pluck(hertz(note.pitch), 3.2, random.between(2300, 3400), random), note.beat + random.between(0, 0.02),
                       random.between(0.75, 1), random.between(-0.35, 0.1));
  const int basses[] = {38, 36, 38, 43, 38, 36, 41, 38};
  for (int bar = 0; bar < 8; ++bar) {
    song.strings.place(pluck(hertz(basses[bar]), 4, 900, random), bar * 4, 1.3, 0.15);
    song.reeds.place(reed(hertz(basses[bar] + 12), 4.6 * Stem::beat), bar * 4 - 0.3 + (bar == 0 ? 32 : 0), 0.13, 0.45);
    song.reeds.place(reed(hertz(basses[bar] + 19), 4.6 * Stem::beat), bar * 4 - 0.3 + (bar == 0 ? 32 : 0), 0.09, -0.45);
  }
  // The ending: the chord is laid down from its root, and dies away.
  for (const auto& [at, pitch] : {Note{32, 38}, Note{32.5, 50}, Note{33, 57}, Note{33.5, 62}, Note{34, 65}, Note{35, 69}})
    song.strings.place(pluck(hertz(pitch), 4.2, 2000, random), at, 0.9, (pitch - 52) / 60.0);
  song.reeds.place(reed(hertz(50), 7 * Stem::beat), 32.1, 0.11, 0.3);
  song.reeds.place(reed(hertz(57), 7 * Stem::beat), 32.1, 0.08, -0.3);
  return song;
}

}  // namespace

std::vector<Clip> music() {
  Song song = make_song();
  return {{"music-strings", {song.strings.left, song.strings.right}, 0.6, true},
          {"music-reeds", {song.reeds.left, song.reeds.right}, 0.3, true}};
}

}  // namespace harbour
