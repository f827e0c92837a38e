#include "media/decode.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <memory>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

struct CloseFile {
  void operator()(SNDFILE* file) const { sf_close(file); }
};
using File = std::unique_ptr<SNDFILE, CloseFile>;

constexpr int lowest_rate = 1000;
constexpr int highest_rate = 768000;

File open(const std::string& path, SF_INFO& info) {
  std::error_code error;
  const auto status = std::filesystem::status(path, error);
  if (!std::filesystem::exists(status)) throw Error("there is no such file");
  if (!std::filesystem::is_regular_file(status)) throw Error("it is not a file");
  if (std::filesystem::file_size(path, error) == 0) throw Error("the file is empty (0 bytes); export it again");
  File file(sf_open(path.c_str(), SFM_READ, &info));
  if (!file) {
    std::string reason = sf_strerror(nullptr);
    while (!reason.empty() && (reason.back() == '.' || reason.back() == '\n')) reason.pop_back();
    throw Error(fmt::format("it cannot be read as audio ({}); WAV, FLAC, Ogg, MP3, VOC and AIFF can", reason));
  }
  return file;
}

}  // namespace

Audio decode_file(const std::string& path) {
  SF_INFO info{};
  const File file = open(path, info);
  if (info.channels < 1 || info.channels > 2) throw Error(fmt::format("it has {} channels; mix it down to one or two", info.channels));
  if (info.samplerate < lowest_rate || info.samplerate > highest_rate)
    throw Error(fmt::format("its rate of {} Hz is outside {} Hz to {} Hz", info.samplerate, lowest_rate, highest_rate));
  const int subtype = info.format & SF_FORMAT_SUBMASK;
  const bool sixteen_bits = subtype == SF_FORMAT_PCM_16 || subtype == SF_FORMAT_PCM_S8 || subtype == SF_FORMAT_PCM_U8;
  Audio audio{info.channels, Hertz{static_cast<double>(info.samplerate)}, {}, sixteen_bits};
  const auto width = static_cast<std::size_t>(info.channels);
  const auto most = static_cast<std::size_t>(frames(longest_clip, audio.rate).value) * width;
  // A header can lie about the length: what is read decides, a piece at a time.
  std::vector<float> piece(16384 * width);
  for (;;) {
    const auto got = sf_readf_float(file.get(), piece.data(), static_cast<sf_count_t>(piece.size() / width));
    if (got <= 0) break;
    audio.samples.insert(audio.samples.end(), piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(got) * info.channels);
    if (audio.samples.size() > most)
      throw Error(fmt::format("it is longer than {} minutes; cut it into shorter clips", longest_clip.value / 60));
  }
  if (audio.samples.empty()) throw Error("it holds no samples; export it again");
  const auto bad = std::find_if(audio.samples.begin(), audio.samples.end(), [](float x) { return !std::isfinite(x); });
  if (bad != audio.samples.end())
    throw Error(fmt::format("frame {} is not a number; export it again", static_cast<std::size_t>(bad - audio.samples.begin()) / width));
  return audio;
}

}  // namespace tidewater
