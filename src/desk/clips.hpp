#pragma once
/// Waveforms, loudness and sound of clips and takes, for the page.

#include <nlohmann/json.hpp>
#include <span>
#include <string>
#include <vector>

#include "media/decode.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater::desk {

/// Returns the bytes of a 16-bit WAV file.
std::string wav_of(std::span<const float> samples, int channels, Hertz rate);

/// Splits the samples into `stretches` equal parts and returns the largest magnitude of each.
std::vector<double> peaks_of(std::span<const float> samples, int channels, std::size_t stretches);

/// Length in seconds, loudness in LUFS, peaks. Throws Error if the folder of clips does not have the file, or it cannot be played.
nlohmann::json clip_json(const Book& book, const std::string& clip);
/// The clip as WAV. Throws as `clip_json`.
std::string clip_wav(const Book& book, const std::string& clip);

struct AuditionAsked {
  std::string name;  ///< a sound or an event
  int times = 1;
  std::uint64_t seed = 1;
};
/// The takes, rendered: each with its clip, draws, loudness and peaks; and all of them as WAV.
struct Auditioned {
  std::vector<nlohmann::json> takes;
  std::string wav;
};
/// `now` is the book with what is turned. With `before`, both are compared at equal loudness, and `before` is heard.
Auditioned audition(const AuditionAsked& asked, const Book& now, const Book* before = nullptr);

}  // namespace tidewater::desk
