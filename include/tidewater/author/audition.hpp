#pragma once
/// A sound heard several times, away from the game, and measured.
///
///     Audition audition({audition_side(book, "bell")}, {.times = 8});
///     audition.render({.take = [&](const AuditionTake& take) { takes.push_back(take); }});
///     const TakesInCommon common = in_common(takes);
///
/// Link Tidewater::author.

#include <cstdint>
#include <functional>
#include <map>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/author/walk.hpp"
#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/manager.hpp"

namespace TIDEWATER_API tidewater {

/// A sound or an event of a book, alone in a book of its own, ready to be heard. Two of them can be compared.
struct AuditionSide {
  std::string label;  ///< empty, or what tells two sides apart: "A", "B"
  std::string name;
  Book book;
  Decibels trim{};  ///< how much it is turned up
};

/// Throws Error where the book has no sound and no event of this name.
AuditionSide audition_side(const Book& whole, const std::string& name, const std::string& label = {});

struct AuditionOptions {
  int times = 8;
  Seconds every{0};  ///< from one start to the next; zero: each after the one before has ended, without its spacing
  std::uint64_t seed = 1;
  std::vector<std::pair<std::string, std::string>> traits = {};  ///< that come with the event
  /// Values of the book's gauges: constant, or moved evenly from a first value at the first take to a last value at the last take. A gauge
  /// that is not named keeps its default.
  std::vector<WalkGauge> gauges = {};
  std::string language = {};  ///< of speech; empty for the first of the book's
};

/// One start, and what was heard of it.
struct AuditionTake {
  std::size_t number = 0;  ///< from 1
  std::string side;        ///< its label
  Frames starts;           ///< on the audition's clock
  std::string sound;       ///< empty where nothing was started
  std::string clip;
  std::vector<std::string> more_clips;  ///< of further layers, and of the event's further sounds
  Decibels gain;                        ///< as drawn, as are the next two
  Semitones pitch;
  Seconds clip_start;
  std::string why;              ///< where nothing was started, or nobody hears it: the reason
  Decibels loudness = silence;  ///< LUFS; known where it was rendered
  std::vector<float> samples;   ///< interleaved stereo at `Audition::rate`; only where it was rendered
};

/// What an audition tells while it goes on. Each may be empty.
struct AuditionListener {
  std::function<void(const AuditionTake&)> take = {};      ///< rendered: when it is over; live: as it begins
  std::function<void(std::span<const float>)> sound = {};  ///< all that is rendered, interleaved stereo
  JournalSink journal = {};
  std::function<bool()> go_on = {};  ///< false ends it, after a short fade
};

/// Which side was louder: it has been turned down by so much, and nothing was pushed into the limiter.
struct EvenedOut {
  Decibels first = silence, second = silence;  ///< mean loudness in LUFS, as they were
  bool first_was_louder = false;
  Decibels down{};
};

class Audition {
 public:
  static constexpr Hertz rate{48000};

  /// Compiles what is heard, and nothing else of the book. Throws Error as `compile` does.
  Audition(std::vector<AuditionSide> sides, AuditionOptions options);

  /// Turns the louder of two sides down until both are equally loud, by 24 dB at most. Renders both for that.
  EvenedOut even_out();

  /// Plays all takes as fast as the machine can, on this thread; same sides, same options: same samples.
  void render(const AuditionListener& listener) const;

  /// Lets so many frames go by.
  using Pass = std::function<void(std::int64_t frames)>;
  /// Plays them while something else renders, such as a Device: `around` opens it on the manager, calls `takes` with a way
  /// to let time go by, and closes it again.
  void play(const AuditionListener& listener,
            const std::function<void(SoundManager& manager, const std::function<void(const Pass&)>& takes)>& around) const;

  const std::vector<AuditionSide>& sides() const { return sides_; }

 private:
  struct Taker;
  void play_takes(SoundManager& manager, Taker& taker, const AuditionListener& listener, const Pass& pass) const;

  std::vector<AuditionSide> sides_;
  AuditionOptions options_;
  std::vector<Bank> banks_;
};

/// How much takes vary.
struct TakesInCommon {
  std::map<std::string, int> clips;                ///< how often each came
  std::size_t starts_without_repetition = 0;       ///< the longest run in which no clip came twice
  Seconds time_without_repetition;                 ///< from its first start to its last
  Decibels quietest = silence, loudest = silence;  ///< LUFS of single takes; silence where nothing was measured
};

TakesInCommon in_common(std::span<const AuditionTake> takes);

}  // namespace tidewater
