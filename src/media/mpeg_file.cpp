#include "media/mpeg_file.hpp"

#include <fmt/format.h>
#include <mpg123.h>

#include <array>
#include <cstdio>
#include <span>
#include <utility>

#include "tidewater/error.hpp"

namespace tidewater {

void MpegFile::Close::operator()(mpg123_handle_struct* file) const {
  mpg123_close(file);
  mpg123_delete(file);
}

bool MpegFile::begins_so(Bytes& bytes) {
  std::array<unsigned char, 4> head{};
  if (bytes.read(0, std::as_writable_bytes(std::span(head))) != head.size()) return false;
  if (head[0] == 'I' && head[1] == 'D' && head[2] == '3') return true;
  // Eleven bits of sync, then a version, a layer, a bit rate and a rate that there are (ISO/IEC 11172-3, 2.4.1.3).
  return head[0] == 0xFF && (head[1] & 0xE0U) == 0xE0 && (head[1] & 0x18U) != 0x08 && (head[1] & 0x06U) != 0 && (head[2] & 0xF0U) != 0xF0 &&
         (head[2] & 0x0CU) != 0x0C;
}

MpegFile::MpegFile(std::unique_ptr<Bytes> bytes) : cursor_(std::make_unique<Cursor>(Cursor{std::move(bytes)})) {
  static const int ready = mpg123_init();
  int trouble = ready;
  file_.reset(mpg123_new(nullptr, &trouble));
  const auto unreadable = [&](const char* why) -> void {
    problem_ = fmt::format("it cannot be read as audio ({}); WAV, FLAC, Ogg, MP3, VOC and AIFF can", why);
  };
  if (!file_) {
    unreadable(mpg123_plain_strerror(trouble));
    return;
  }
  mpg123_param(file_.get(), MPG123_ADD_FLAGS, MPG123_QUIET | MPG123_FORCE_FLOAT | MPG123_GAPLESS, 0);
  long rate = 0;
  int encoding = 0;
  const auto read = [](void* user, void* to, std::size_t count) {
    auto& its = *static_cast<Cursor*>(user);
    const std::size_t got = its.bytes->read(static_cast<std::uint64_t>(its.at), {static_cast<std::byte*>(to), count});
    its.at += static_cast<std::int64_t>(got);
    return static_cast<mpg123_ssize_t>(got);
  };
  const auto seek = [](void* user, off_t offset, int whence) -> off_t {
    auto& its = *static_cast<Cursor*>(user);
    const std::int64_t to = offset + (whence == SEEK_CUR ? its.at : whence == SEEK_END ? static_cast<std::int64_t>(its.bytes->size()) : 0);
    return to < 0 ? -1 : its.at = to;
  };
  mpg123_replace_reader_handle(file_.get(), read, seek, nullptr);
  if (mpg123_open_handle(file_.get(), cursor_.get()) != MPG123_OK ||
      mpg123_getformat(file_.get(), &rate, &channels_, &encoding) != MPG123_OK) {
    unreadable("no MPEG audio is found in it");
    return;
  }
  rate_ = Hertz{static_cast<double>(rate)};
  // As it began, so it goes on: a stream that changes its rate half way ends there.
  mpg123_format_none(file_.get());
  if (mpg123_format(file_.get(), rate, channels_ == 2 ? MPG123_STEREO : MPG123_MONO, MPG123_ENC_FLOAT_32) != MPG123_OK)
    unreadable(mpg123_strerror(file_.get()));
}

std::int64_t MpegFile::read(float* to, std::int64_t frames) {
  const auto width = static_cast<std::size_t>(channels_) * sizeof(float);
  const std::size_t wanted = static_cast<std::size_t>(frames) * width;
  std::size_t got = 0;
  while (got < wanted) {
    std::size_t some = 0;
    const int result = mpg123_read(file_.get(), reinterpret_cast<unsigned char*>(to) + got, wanted - got, &some);
    got += some;
    if (result != MPG123_OK) break;
  }
  return static_cast<std::int64_t>(got / width);
}

bool MpegFile::seek(std::int64_t frame) { return mpg123_seek(file_.get(), frame, SEEK_SET) == frame; }

}  // namespace tidewater
