#pragma once
/// What can be said of a clip without knowing its book: how loud, how long, how clean. Measured once for each content.

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "author/clips/loops.hpp"
#include "media/decode.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

struct ClipFacts {
  std::string problem;  ///< why it cannot be played; then the rest is not known
  Seconds length;
  ClipShape shape;  ///< in frames, for what a book says of loops
  /// LUFS. Of clips of three seconds and more the gated loudness (EBU R128); of shorter ones the loudest 400 ms (ITU-R
  /// BS.1770's momentary), with silence around: gating is not made for them. `silence` where there is nothing to hear.
  Decibels loudness = silence;
  Decibels true_peak = silence;  ///< dBTP
  Seconds leading_silence;       ///< below -60 dB of its own peak
  double offset = 0;             ///< mean of all samples, of full scale
  int clipped = 0;               ///< runs of three samples or more at full scale
  Hertz brightness;              ///< the frequency at which its power has its balance (root of the mean square)
  double ends = 0;               ///< how far its first and its last frame are from the middle, whichever is further
  bool stereo = false;
  bool really_mono = false;       ///< two channels that are the same
  double seam = 0;                ///< jump from its last sample to its first
  double steepest_near_seam = 0;  ///< largest jump within 20 ms of either end
  bool marked_placeholder = false;
};

ClipFacts measure(const Audio& audio);

struct KeptClips;
/// The facts of every clip that a book uses, by path. Decodes on every core; what was measured before, in whatever
/// folder or book, is taken from the cache, by content. `progress` hears how many of how many are done, on this thread.
/// Facts that `kept` holds are not measured again, and new facts are added to it. `kept` may be null.
std::map<std::string, ClipFacts> facts_of(const Book& book, const std::function<void(std::size_t, std::size_t)>& progress = {},
                                          KeptClips* kept = nullptr);

}  // namespace tidewater
