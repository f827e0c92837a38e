#include "author/clips/kept_clips.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "author/clips/book_clips.hpp"

namespace tidewater {

std::string made_from(const Book& book, const std::string& clip) {
  if (const auto sketch = book.sketches.find(clip); sketch != book.sketches.end()) {
    const Recipe& its = sketch->second.plan.recipe;
    std::string notes;
    for (const Semitones note : its.notes) notes += fmt::format(" {}", note.value);
    return fmt::format("{} {} {} {} {} {} {} {} {} {} {} {} {}", clip, sketch->second.plan.seed, sketch->second.variant,
                       static_cast<int>(its.source), its.pitch.value, its.glide.value, its.length.value, its.attack.value, its.hold,
                       its.low_pass.value, its.high_pass.value, its.level.value, notes);
  }
  const std::string file = clip_file(book, clip);
  std::error_code error;
  const auto size = std::filesystem::file_size(file, error);
  if (error) return {};
  const auto time = std::filesystem::last_write_time(file, error);
  if (error) return {};
  return fmt::format("{} {} {} {}", size, time.time_since_epoch().count(), book.soundfont, file);
}

}  // namespace tidewater
