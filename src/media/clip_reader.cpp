#include "media/clip_reader.hpp"

#include <fmt/format.h>
#include <sndfile.h>
#include <vorbis/vorbisfile.h>

#include <algorithm>
#include <cstdio>
#include <utility>
#include <vector>

#include "base/fail.hpp"
#include "media/placeholder.hpp"

namespace tidewater {
namespace {

constexpr Hertz lowest_rate{1000};
constexpr Hertz highest_rate{768'000};
constexpr std::int64_t settling = 4096;  // frames; Opus asks for 80 ms (RFC 7845)

}  // namespace

/// libsndfile 1.2 lands up to a block off in one of fifty seeks in Ogg Vorbis; libvorbisfile finds the very frame, and decodes
/// the same samples.
struct ClipReader::Vorbis {
  OggVorbis_File file{};
};

void ClipReader::Close::operator()(sf_private_tag* file) const { sf_close(file); }

void ClipReader::CloseVorbis::operator()(Vorbis* vorbis) const {
  ov_clear(&vorbis->file);
  delete vorbis;
}

/// Reads bytes as files are read. Where libvorbisfile takes over from libsndfile it begins anew.
struct ClipReader::Cursor {
  std::unique_ptr<Bytes> bytes;
  std::int64_t at = 0;

  static Cursor& of(void* user) { return *static_cast<Cursor*>(user); }
  std::int64_t length() const { return static_cast<std::int64_t>(bytes->size()); }
  std::int64_t read(void* to, std::int64_t count) {
    const std::size_t got = bytes->read(static_cast<std::uint64_t>(at), {static_cast<std::byte*>(to), static_cast<std::size_t>(count)});
    at += static_cast<std::int64_t>(got);
    return static_cast<std::int64_t>(got);
  }
  std::int64_t seek(std::int64_t offset, int whence) {
    const std::int64_t to = offset + (whence == SEEK_CUR ? at : whence == SEEK_END ? length() : 0);
    if (to < 0) return -1;
    return at = to;
  }
};

void ClipReader::Forget::operator()(Cursor* cursor) const { delete cursor; }

ClipReader::ClipReader(std::unique_ptr<Bytes> bytes) : ClipReader(std::move(bytes), ByValue{}) {
  if (!problem_.empty()) fail(problem_);
}

ClipReader::ClipReader(std::unique_ptr<Bytes> bytes, ByValue) { problem_ = begin(std::move(bytes)); }

std::string ClipReader::begin(std::unique_ptr<Bytes> bytes) {
  if (bytes->size() == 0) return "the file is empty (0 bytes); export it again";
  if (MpegFile::begins_so(*bytes)) {
    mpeg_ = std::make_unique<MpegFile>(std::move(bytes));
    if (!mpeg_->problem().empty()) return mpeg_->problem();
    channels_ = mpeg_->channels();
    rate_ = mpeg_->rate();
    return shape_problem();
  }
  cursor_.reset(new Cursor{std::move(bytes)});
  SF_VIRTUAL_IO io{};
  io.get_filelen = [](void* user) -> sf_count_t { return Cursor::of(user).length(); };
  io.seek = [](sf_count_t offset, int whence, void* user) -> sf_count_t { return Cursor::of(user).seek(offset, whence); };
  io.read = [](void* to, sf_count_t count, void* user) -> sf_count_t { return Cursor::of(user).read(to, count); };
  io.write = [](const void*, sf_count_t, void*) -> sf_count_t { return 0; };
  io.tell = [](void* user) -> sf_count_t { return Cursor::of(user).at; };
  SF_INFO info{};
  file_.reset(sf_open_virtual(&io, SFM_READ, &info, cursor_.get()));
  if (!file_) {
    std::string reason = sf_strerror(nullptr);
    while (!reason.empty() && (reason.back() == '.' || reason.back() == '\n')) reason.pop_back();
    return fmt::format("it cannot be read as audio ({}); WAV, FLAC, Ogg, MP3, VOC and AIFF can", reason);
  }
  channels_ = info.channels;
  said_frames_ = std::max<std::int64_t>(info.frames, 0);
  rate_ = Hertz{static_cast<double>(info.samplerate)};
  if (std::string problem = shape_problem(); !problem.empty()) return problem;
  subtype_ = info.format & SF_FORMAT_SUBMASK;
  flac_ = (info.format & SF_FORMAT_TYPEMASK) == SF_FORMAT_FLAC;
  sixteen_bits_ = subtype_ == SF_FORMAT_PCM_16 || subtype_ == SF_FORMAT_PCM_S8 || subtype_ == SF_FORMAT_PCM_U8;
  const char* comment = sf_get_string(file_.get(), SF_STR_COMMENT);
  placeholder_ = comment != nullptr && std::string_view(comment) == placeholder_comment;
  return {};
}

std::string ClipReader::shape_problem() const {
  if (channels_ < 1 || channels_ > 2) return fmt::format("it has {} channels; mix it down to one or two", channels_);
  if (rate_ < lowest_rate || rate_ > highest_rate)
    return fmt::format("its rate of {} Hz is outside {} Hz to {} Hz", rate_.value, lowest_rate.value, highest_rate.value);
  return {};
}

std::int64_t ClipReader::read(float* to, std::int64_t frames) {
  if (mpeg_) {
    const std::int64_t got = mpeg_->read(to, frames);
    at_ += got;
    return got;
  }
  if (vorbis_) {
    std::int64_t got = 0;
    while (got < frames) {
      float** channels = nullptr;
      int link = 0;
      const long some = ov_read_float(&vorbis_->file, &channels, static_cast<int>(std::min<std::int64_t>(frames - got, 4096)), &link);
      if (some <= 0) break;
      for (long i = 0; i < some; ++i)
        for (int channel = 0; channel < channels_; ++channel) to[(got + i) * channels_ + channel] = channels[channel][i];
      got += some;
    }
    at_ += got;
    return got;
  }
  const auto got = std::max<sf_count_t>(0, sf_readf_float(file_.get(), to, frames));
  at_ += got;
  return got;
}

std::optional<Range<Frames>> ClipReader::loop() const {
  if (!file_) return {};
  SF_INSTRUMENT instrument{};
  if (sf_command(file_.get(), SFC_GET_INSTRUMENT, &instrument, sizeof(instrument)) == SF_FALSE || instrument.loop_count < 1) return {};
  const auto& first = instrument.loops[0];
  if (first.end <= first.start) return {};
  return Range<Frames>{{static_cast<std::int64_t>(first.start)}, {static_cast<std::int64_t>(first.end)}};
}

void ClipReader::seek(std::int64_t frame) {
  if (!try_seek(frame)) fail(fmt::format("frame {} in it cannot be found", frame));
}

bool ClipReader::try_seek(std::int64_t frame) {
  if (mpeg_) {
    if (!mpeg_->seek(frame)) return false;
  } else if (subtype_ == SF_FORMAT_VORBIS) {
    if (!vorbis_) {
      auto vorbis = std::make_unique<Vorbis>();
      file_.reset();  // from here on the bytes are read by another
      cursor_->at = 0;
      const ov_callbacks io{[](void* to, std::size_t size, std::size_t count, void* user) {
                              return static_cast<std::size_t>(Cursor::of(user).read(to, static_cast<std::int64_t>(size * count))) / size;
                            },
                            [](void* user, ogg_int64_t offset, int whence) { return Cursor::of(user).seek(offset, whence) < 0 ? -1 : 0; },
                            nullptr, [](void* user) { return static_cast<long>(Cursor::of(user).at); }};
      if (ov_open_callbacks(cursor_.get(), &vorbis->file, nullptr, 0, io) != 0) return false;
      vorbis_.reset(vorbis.release());
    }
    if (ov_info(&vorbis_->file, -1)->channels != channels_ || ov_pcm_seek(&vorbis_->file, frame) != 0) return false;
  } else {
    // A decoder that builds on what it has decoded settles before the place is reached.
    const std::int64_t from = subtype_ == SF_FORMAT_OPUS ? std::max<std::int64_t>(0, frame - settling) : frame;
    if (sf_seek(file_.get(), from, SEEK_SET) != from) return false;
    std::vector<float> passed(static_cast<std::size_t>((frame - from) * channels_));
    if (frame > from && sf_readf_float(file_.get(), passed.data(), frame - from) != frame - from) return false;
  }
  at_ = frame;
  return true;
}

}  // namespace tidewater
