#include "instruments.hpp"

namespace harbour {
namespace {

double hertz(int note) { return 440 * std::exp2((note - 69) / 12.0); }

/// Sixteen slow bars for a plucked string and a reed drone, in D dorian; made for this harbour.
struct Song {
  static constexpr double beat = 60.0 / 76;
  static constexpr double lasts = 32 * beat;
  Samples left, right;

  Song() : left(length(lasts)), right(length(lasts)) {}

  /// What rings beyond the end rings on at the head: the piece loops.
  void place(const Samples& what, double at_beat, double level, double side) {
    const std::size_t from = length(at_beat * beat);
    const double angle = (side + 1) * std::numbers::pi / 4;
    for (std::size_t i = 0; i < what.size(); ++i) {
      const std::size_t at = (from + i) % left.size();
      left[at] += level * std::cos(angle) * what[i];
      right[at] += level * std::sin(angle) * what[i];
    }
  }
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
    song.place(pluck(hertz(note.pitch), 3.2, random.between(2300, 3400), random), note.beat + random.between(0, 0.02),
               random.between(0.75, 1), random.between(-0.35, 0.1));
  const int basses[] = {38, 36, 38, 43, 38, 36, 41, 38};
  for (int bar = 0; bar < 8; ++bar) {
    song.place(pluck(hertz(basses[bar]), 4, 900, random), bar * 4, 1.3, 0.15);
    song.place(reed(hertz(basses[bar] + 12), 4.6 * Song::beat), bar * 4 - 0.3 + (bar == 0 ? 32 : 0), 0.13, 0.45);
    song.place(reed(hertz(basses[bar] + 19), 4.6 * Song::beat), bar * 4 - 0.3 + (bar == 0 ? 32 : 0), 0.09, -0.45);
  }
  return song;
}

}  // namespace

std::vector<Clip> music() {
  Song song = make_song();
  return {{"music-estuary", {song.left, song.right}, 0.6, true}};
}

}  // namespace harbour
