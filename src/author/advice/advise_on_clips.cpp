#include <algorithm>
#include <cmath>

#include "author/advice/advising.hpp"
#include "author/clips/levels.hpp"

namespace tidewater {
namespace {

// Where listeners begin to notice.
constexpr Seconds late{0.010};         // of silence at the head
constexpr double offset_heard = 0.01;  // of full scale: clicks where it is cut
constexpr double seam_factor = 3;      // times the steepest jump beside it
constexpr double least_seam = 0.02;
constexpr double too_quiet = 0.5;  // dB below the level that is asked for

using Uses = std::vector<Advising::Use>;

/// The silence at the head of the clip of a layer that has least: what a start-at may skip.
Seconds least_silence(const Advising& advising, const BookLayer& layer) {
  Seconds least{HUGE_VAL};
  for (const auto& choice : layer.choices)
    for (const auto& clip : choice.clips)
      if (const ClipFacts& f = advising.facts(clip.path); f.problem.empty()) least = std::min(least, f.leading_silence);
  return least;
}

void about_silence(Advising& advising, const std::string& path, const Uses& uses, const ClipFacts& f) {
  const auto heard_late = std::find_if(uses.begin(), uses.end(), [&](const Advising::Use& use) {
    return !use.layer->start_anywhere && f.leading_silence - use.layer->start_at.low > late;
  });
  if (heard_late == uses.end()) return;
  const auto silence_of = [](Seconds time) { return std::floor(time.value * 1000 + 1e-6); };
  const Seconds skipped = least_silence(advising, *heard_late->layer);
  std::string remedy = "cut its head";
  if (skipped > late) remedy += fmt::format(", or skip it with start-at = \"{:.0f} ms\"", silence_of(skipped));
  advising.advise(
      heard_late->clip->place, "leading-silence", path, f.leading_silence.value,
      fmt::format("'{}' begins with {:.0f} ms of silence, so it is heard late; {}", path, silence_of(f.leading_silence), remedy));
}

void about_level(Advising& advising, const std::string& path, const Advising::Use& use, const ClipFacts& f) {
  const auto level = level_for(advising.book(), *use.sound);
  if (!level || f.marked_placeholder) return;  // a placeholder stays quiet
  const Decibels trim = trim_for(f, *level);
  const Decibels reached = f.loudness + trim;
  const double short_by = std::abs(level->value - reached.value);
  if (short_by <= too_quiet) return;
  const bool louder = reached.value < level->value;
  advising.advise(use.clip->place, "peaks", path, short_by,
                  fmt::format("'{}' reaches {:.1f} LUFS of the {:.1f} asked for: {}", path, reached.value, level->value,
                              std::abs(trim.value) < most_trim.value
                                  ? "more would push its peaks over -1 dBTP; make it less spiky, or ask for less"
                                  : fmt::format("it has {:.1f} LUFS, and a level moves a clip by {:.0f} dB at most; export it {}",
                                                f.loudness.value, most_trim.value, louder ? "louder" : "quieter")));
}

void about_clip(Advising& advising, const std::string& path, const Uses& uses) {
  const Advising::Use& first = uses.front();
  const ClipFacts& f = advising.facts(path);
  if (!f.problem.empty()) return advising.problem(first.clip->place, fmt::format("clip '{}': {}", path, f.problem));
  const FilePlace& place = first.clip->place;
  if (f.loudness == silence)
    return advising.advise(place, "silent-clip", path, 0, fmt::format("'{}' holds nothing that can be heard; export it again", path));
  about_silence(advising, path, uses, f);
  if (f.clipped > 0)
    advising.advise(place, "clipping", path, f.clipped,
                    fmt::format("'{}' is cut off at full scale in {} place{}, which crackles; record or export it lower", path, f.clipped,
                                f.clipped == 1 ? "" : "s"));
  if (std::abs(f.offset) > offset_heard && f.ends > offset_heard)
    advising.advise(
        place, "offset", path, std::abs(f.offset),
        fmt::format("'{}' lies {:.1f} % of full scale off the middle, so it clicks where it begins and ends; take the offset out", path,
                    f.offset * 100));
  if (f.really_mono)
    advising.advise(
        place, "really-mono", path, f.length.value,
        fmt::format("'{}' is stereo, but its two sides are the same: it takes twice the memory and time; export it as mono", path));
  const auto seam = std::find_if(uses.begin(), uses.end(), [](const Advising::Use& use) {
    return use.layer->loop.between == BookLoop::Between::whole && use.layer->loop.crossfade == Seconds{};
  });
  if (seam != uses.end() && f.seam > least_seam && f.seam > seam_factor * f.steepest_near_seam)
    advising.advise(
        seam->clip->place, "loop-seam", path, f.seam,
        fmt::format("the loop of '{}' jumps by {:.2f} of full scale at its seam, which clicks; cut it at a whole period, or set "
                    "loop-crossfade = \"50 ms\"",
                    path, f.seam));
  about_level(advising, path, first, f);
}

}  // namespace

void advise_on_clips(Advising& advising) {
  for (const auto& [path, uses] : advising.uses()) about_clip(advising, path, uses);
}

}  // namespace tidewater
