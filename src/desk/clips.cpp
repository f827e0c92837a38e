#include "desk/clips.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>

#include "author/clips/book_clips.hpp"
#include "author/folder/clip_folder.hpp"
#include "tidewater/author/audition.hpp"
#include "tidewater/author/report.hpp"
#include "tidewater/error.hpp"

namespace tidewater::desk {
namespace {

using json = nlohmann::json;

template <class Integer>
void put(std::string& bytes, Integer value) {
  for (std::size_t i = 0; i < sizeof(Integer); ++i) bytes += static_cast<char>(static_cast<std::uint64_t>(value) >> (8 * i) & 255U);
}

json level(Decibels loudness) { return loudness == silence ? json() : json(std::round(loudness.value * 10) / 10); }

/// Reads a file of the folder of clips, or makes a sketch of the book. Throws Error for any other name: a page must not read other files.
Audio audio_of(const Book& book, const std::string& clip) {
  const ClipFolder folder(book.clips_folder);
  const auto& files = folder.files();
  if (!book.sketches.contains(clip) && std::find(files.begin(), files.end(), clip) == files.end())
    throw Error(fmt::format("the folder of clips has no file '{}'", clip));
  return clip_audio(book, clip);
}

/// Returns two channels, as the loudness meter needs them.
std::vector<float> as_stereo(const Audio& audio) {
  if (audio.channels == 2) return audio.samples;
  std::vector<float> stereo;
  const auto channels = static_cast<std::size_t>(audio.channels);
  for (std::size_t i = 0; i + channels <= audio.samples.size(); i += channels) {
    stereo.push_back(audio.samples[i]);
    stereo.push_back(audio.samples[i + (channels > 1 ? 1 : 0)]);
  }
  return stereo;
}

}  // namespace

std::string wav_of(std::span<const float> samples, int channels, Hertz rate) {
  const auto bytes = static_cast<std::uint32_t>(samples.size() * 2);
  const auto frequency = static_cast<std::uint32_t>(rate.value);
  const auto width = static_cast<std::uint16_t>(2 * channels);
  std::string wav = "RIFF";
  put(wav, 36 + bytes);
  wav += "WAVEfmt ";
  put(wav, std::uint32_t{16});
  put(wav, std::uint16_t{1});
  put(wav, static_cast<std::uint16_t>(channels));
  put(wav, frequency);
  put(wav, frequency * width);
  put(wav, width);
  put(wav, std::uint16_t{16});
  wav += "data";
  put(wav, bytes);
  for (const float sample : samples) put(wav, static_cast<std::int16_t>(std::lround(std::clamp(sample, -1.F, 1.F) * 32767)));
  return wav;
}

std::vector<double> peaks_of(std::span<const float> samples, int channels, std::size_t stretches) {
  std::vector<double> peaks(stretches, 0);
  const std::size_t frames = samples.size() / static_cast<std::size_t>(channels);
  for (std::size_t i = 0; i < samples.size() && frames > 0; ++i) {
    double& peak = peaks[std::min(stretches - 1, i / static_cast<std::size_t>(channels) * stretches / frames)];
    peak = std::max(peak, std::round(std::fabs(static_cast<double>(samples[i])) * 1000) / 1000);
  }
  return peaks;
}

json clip_json(const Book& book, const std::string& clip) {
  constexpr std::size_t stretches = 300;
  const Audio audio = audio_of(book, clip);
  return {{"seconds", audio.length().value},
          {"channels", audio.channels},
          {"loudness", level(loudness_of(as_stereo(audio), audio.rate))},
          {"peaks", peaks_of(audio.samples, audio.channels, stretches)}};
}

std::string clip_wav(const Book& book, const std::string& clip) {
  const Audio audio = audio_of(book, clip);
  return wav_of(audio.samples, audio.channels, audio.rate);
}

Auditioned audition(const AuditionAsked& asked, const Book& now, const Book* before) {
  constexpr std::size_t stretches = 160;
  const std::string old = "before";
  std::vector<AuditionSide> sides = {audition_side(now, asked.name, before == nullptr ? "" : "now")};
  if (before != nullptr) sides.push_back(audition_side(*before, asked.name, old));
  AuditionOptions options;
  options.times = asked.times;
  options.seed = asked.seed;
  Audition audition(std::move(sides), options);
  if (before != nullptr) audition.even_out();
  Auditioned result;
  std::vector<float> all;
  audition.render({.take = [&](const AuditionTake& take) {
    if (before != nullptr && take.side != old) return;
    all.insert(all.end(), take.samples.begin(), take.samples.end());
    result.takes.push_back({{"number", take.number},
                            {"clip", take.clip},
                            {"gain", take.gain == silence ? json() : json(take.gain.value)},
                            {"pitch", take.pitch.value},
                            {"loudness", level(take.loudness)},
                            {"seconds", static_cast<double>(take.samples.size()) / 2 / Audition::rate.value},
                            {"peaks", peaks_of(take.samples, 2, stretches)},
                            {"why", take.why}});
  }});
  result.wav = wav_of(all, 2, Audition::rate);
  return result;
}

}  // namespace tidewater::desk
