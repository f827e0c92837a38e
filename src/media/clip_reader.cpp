#include "media/clip_reader.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <filesystem>

#include "media/placeholder.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr int lowest_rate = 1000;
constexpr int highest_rate = 768000;

}  // namespace

void ClipReader::Close::operator()(sf_private_tag* file) const { sf_close(file); }

ClipReader::ClipReader(const std::string& path) {
  std::error_code error;
  const auto status = std::filesystem::status(path, error);
  if (!std::filesystem::exists(status)) throw Error("there is no such file");
  if (!std::filesystem::is_regular_file(status)) throw Error("it is not a file");
  if (std::filesystem::file_size(path, error) == 0) throw Error("the file is empty (0 bytes); export it again");
  SF_INFO info{};
  file_.reset(sf_open(path.c_str(), SFM_READ, &info));
  if (!file_) {
    std::string reason = sf_strerror(nullptr);
    while (!reason.empty() && (reason.back() == '.' || reason.back() == '\n')) reason.pop_back();
    throw Error(fmt::format("it cannot be read as audio ({}); WAV, FLAC, Ogg, MP3, VOC and AIFF can", reason));
  }
  if (info.channels < 1 || info.channels > 2) throw Error(fmt::format("it has {} channels; mix it down to one or two", info.channels));
  if (info.samplerate < lowest_rate || info.samplerate > highest_rate)
    throw Error(fmt::format("its rate of {} Hz is outside {} Hz to {} Hz", info.samplerate, lowest_rate, highest_rate));
  const int subtype = info.format & SF_FORMAT_SUBMASK;
  sixteen_bits_ = subtype == SF_FORMAT_PCM_16 || subtype == SF_FORMAT_PCM_S8 || subtype == SF_FORMAT_PCM_U8;
  const char* comment = sf_get_string(file_.get(), SF_STR_COMMENT);
  placeholder_ = comment != nullptr && std::string_view(comment) == placeholder_comment;
  channels_ = info.channels;
  rate_ = Hertz{static_cast<double>(info.samplerate)};
}

std::int64_t ClipReader::read(float* to, std::int64_t frames) {
  const auto got = std::max<sf_count_t>(0, sf_readf_float(file_.get(), to, frames));
  at_ += got;
  return got;
}

std::optional<Range<Frames>> ClipReader::loop() const {
  SF_INSTRUMENT instrument{};
  if (sf_command(file_.get(), SFC_GET_INSTRUMENT, &instrument, sizeof(instrument)) == SF_FALSE || instrument.loop_count < 1) return {};
  const auto& first = instrument.loops[0];
  if (first.end <= first.start) return {};
  return Range<Frames>{{static_cast<std::int64_t>(first.start)}, {static_cast<std::int64_t>(first.end)}};
}

void ClipReader::seek(std::int64_t frame) {
  if (sf_seek(file_.get(), frame, SEEK_SET) != frame) throw Error(fmt::format("frame {} in it cannot be found", frame));
  at_ = frame;
}

}  // namespace tidewater
