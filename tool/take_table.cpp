#include "take_table.hpp"
#include "print.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>

#include "columns.hpp"
#include "tidewater/author/advice.hpp"

namespace tidewater::tool {

std::string more_clips_of(const AuditionTake& take) {
  std::string text;
  for (const auto& clip : take.more_clips) text += " + " + clip;
  return text;
}

TakeTable::TakeTable(bool measured, std::span<const AuditionSide> sides) : measured_(measured) {
  for (const AuditionSide& side : sides) {
    placeholders_.merge(placeholders_of(side.book));
    for (const auto& sound : side.book.sounds) {
      sound_width_ = std::max(sound_width_, width_of(sound.name));
      sound.each_clip([&](const BookLayer&, const BookClip& clip) { clip_width_ = std::max(clip_width_, width_of(clip.path)); });
    }
  }
}

void TakeTable::print(const AuditionTake& take) {
  if (!headed_)
    say("{:>4}  {:>9}  {}  {}  {:>9}  {:>8}  {:>7}{}\n", "take", "at", padded("sound", sound_width_), padded("clip", clip_width_), "pitch",
        "gain", "from", measured_ ? "    loudness" : "");
  headed_ = true;
  const std::string number = fmt::format("{}{}", take.number, take.side);
  const double at = seconds(take.starts, Audition::rate).value;
  if (take.sound.empty()) {
    say("{:>4}  {:>7.2f} s  {}\n", number, at, take.why);
  } else {
    const std::string loudness = take.loudness == silence ? "silent" : fmt::format("{:.1f} LUFS", take.loudness.value);
    const std::string more = more_clips_of(take);
    const std::string note = !take.why.empty() ? "unheard: " + take.why : placeholders_.contains(take.clip) ? "placeholder" : "";
    say("{:>4}  {:>7.2f} s  {}  {}  {:>+6.2f} st  {:>8}  {:>5.2f} s{}{}{}\n", number, at, padded(take.sound, sound_width_),
        padded(take.clip, clip_width_), take.pitch.value, take.gain == silence ? "silent" : fmt::format("{:.1f} dB", take.gain.value),
        take.clip_start.value, measured_ ? fmt::format("  {:>10}", loudness) : "", more.empty() ? "" : " " + more,
        note.empty() ? "" : "  " + note);
  }
  std::fflush(stdout);
}

void print_in_common(std::span<const AuditionTake> takes) {
  const TakesInCommon common = in_common(takes);
  if (common.clips.empty()) return;
  std::string line;
  for (const auto& [clip, count] : common.clips) line += fmt::format("{}{} x {}", line.empty() ? "" : ", ", count, clip);
  say("  clips      {}\n", line);
  if (common.clips.size() > 1)
    say("  repeats    none for up to {} starts, {:.1f} s\n", common.starts_without_repetition, common.time_without_repetition.value);
  if (takes.size() > 1 && common.loudest != silence)
    say("  spread     {:.1f} LU, from {:.1f} to {:.1f} LUFS\n", (common.loudest - common.quietest).value, common.quietest.value,
        common.loudest.value);
}

}  // namespace tidewater::tool
