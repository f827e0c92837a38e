#include "author/clips/book_clips.hpp"

#include <filesystem>

#include "author/clips/music_formats.hpp"

namespace tidewater {

std::string clip_file(const Book& book, const std::string& path) { return (std::filesystem::path(book.clips_folder) / path).string(); }

Audio clip_audio(const Book& book, const std::string& path) {
  const auto sketch = book.sketches.find(path);
  if (sketch == book.sketches.end()) return decode_clip(clip_file(book, path), book.soundfont);
  const auto& [plan, variant] = sketch->second;
  return {
      .channels = 1, .rate = sketch_rate, .samples = make_sketch(plan.recipe, plan.seed, variant), .placeholder = true, .rendered = true};
}

}  // namespace tidewater
