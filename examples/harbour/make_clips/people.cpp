#include "instruments.hpp"

namespace harbour {
namespace {

struct Vowel {
  double first, second, third;
};
/// What a language of the estuary sounds like through a wall. The formants are means of G. E. Peterson and H. L. Barney, 1952.
struct Tongue {
  Vowel vowels[6];
  double shortest, longest;  ///< syllables, in seconds
  double pauses;             ///< share of syllables that are none
  double falls;              ///< how far its line has fallen at the end; below 0 it rises
};
constexpr Tongue kelpish = {
    {{730, 1090, 2440}, {530, 1840, 2480}, {390, 1990, 2550}, {570, 840, 2410}, {440, 1020, 2240}, {640, 1190, 2390}},
    0.1,
    0.24,
    0.18,
    0.2};
/// Quick, bright, and every sentence a question.
constexpr Tongue reedish = {
    {{270, 2290, 3010}, {390, 1990, 2550}, {530, 1840, 2480}, {660, 1720, 2410}, {300, 870, 2240}, {270, 2290, 3010}},
    0.07,
    0.13,
    0.1,
    -0.15};

/// One person's babble behind a cabin wall: a glottal buzz through moving formants, in syllables.
Samples babble(const Tongue& tongue, std::uint64_t seed, double seconds) {
  Random random(seed);
  Samples out(length(seconds));
  const double pitch = random.between(95, 230);
  const double size = pitch > 160 ? 1.16 : 1.0;
  Resonator f1(500, 6), f2(1500, 9), f3(2500, 10);
  Softener wall(1900);
  double phase = 0;
  double syllable_left = 0;
  double syllable_length = 1;
  double loud = 0;
  for (std::size_t i = 0; i < out.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    if (syllable_left <= 0) {
      syllable_length = syllable_left = random.between(tongue.shortest, tongue.longest);
      loud = i > 0 && random.unit() < tongue.pauses ? 0 : random.between(0.5, 1);  // a pause, but not at the head
      const Vowel& v = tongue.vowels[random.below(6)];
      f1.tune(v.first * size, 6);
      f2.tune(v.second * size, 9);
      f3.tune(v.third * size, 10);
    }
    syllable_left -= 1 / rate;
    const double x = 1 - syllable_left / syllable_length;
    const double line = pitch * (1.12 - tongue.falls * t / seconds + 0.06 * sine(0.9 * t) + 0.05 * std::sin(std::numbers::pi * x));
    phase += line / rate;
    const double in_turn = phase - std::floor(phase);
    const double buzz = in_turn < 0.6 ? in_turn * in_turn * (0.6 - in_turn) * 12 : 0;
    const double source = loud * std::sin(std::numbers::pi * x) * (buzz - 0.2) + 0.03 * noise(random) * loud;
    out[i] = wall(f1(source) + 0.55 * f2(source) + 0.25 * f3(source));
  }
  return out;
}

/// Two or three of them at once.
Samples chatter(const Tongue& tongue, std::uint64_t seed, double seconds) {
  Random random(seed);
  Samples out;
  const int people = 2 + static_cast<int>(seed % 2);
  for (int person = 0; person < people; ++person) {
    const double begins = person == 0 ? 0 : random.between(0.1, 0.5);
    add(out, babble(tongue, random.bits(), seconds - begins), begins, person == 0 ? 1 : random.between(0.5, 0.8));
  }
  for (std::size_t i = 0; i < length(0.08); ++i) out[i] *= static_cast<double>(i) / static_cast<double>(length(0.08));
  return ended(std::move(out), 0.25);
}

}  // namespace

std::vector<Clip> people() {
  std::vector<Clip> clips;
  constexpr double lengths[] = {1.9, 2.4, 1.6, 2.8, 2.1};
  for (std::size_t i = 0; i < 5; ++i)
    clips.push_back({"speech/kelpish/chatter-" + std::to_string(i + 1), {chatter(kelpish, 91 + i, lengths[i])}, 0.5});
  // One is not recorded yet.
  for (std::size_t i = 0; i < 4; ++i)
    clips.push_back({"speech/reedish/chatter-" + std::to_string(i + 1), {chatter(reedish, 191 + i, lengths[i])}, 0.5});
  return clips;
}

}  // namespace harbour
