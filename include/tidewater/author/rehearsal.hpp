#pragma once
/// Changes of music heard without a game: a track plays, and in chosen bars another is asked for.
///
///     rehearse(book, "calm", {{"storm", 3}, {"calm", 2}}, {.sound = [&](std::span<const float> block) { file.write(block); }});

#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/export.hpp"
#include "tidewater/gauge.hpp"
#include "tidewater/journal.hpp"

namespace TIDEWATER_API tidewater {

/// A track that is asked for in a bar of the one that plays. An empty name ends the music.
struct RehearsedChange {
  std::string track;
  std::int64_t bar = 1;  ///< counted from 1 where the track that plays began; of a track without a tempo, seconds
};

struct RehearsalOptions {
  std::uint64_t seed = 1;
  std::vector<std::pair<std::string, double>> gauges = {};  ///< held at these values
  Seconds rest{8};                                          ///< how long the last track plays on after the change to it
};

/// Functions that a rehearsal calls while it plays. Each may be empty.
struct RehearsalListener {
  std::function<void(std::span<const float>)> sound = {};  ///< interleaved stereo at 48 kHz
  JournalSink journal = {};
  std::function<bool()> go_on = {};  ///< asked between blocks; returning false ends the rehearsal
};

/// Plays as fast as the machine can, on this thread. Throws Error if the book has no such track, or as `compile` does.
void rehearse(const Book& book, const std::string& track, const std::vector<RehearsedChange>& changes, const RehearsalListener& listener,
              const RehearsalOptions& options = {});

}  // namespace tidewater
