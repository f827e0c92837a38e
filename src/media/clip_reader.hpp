#pragma once
#include <cstdint>
#include <memory>
#include <optional>
#include <string>

#include "base/ours.hpp"
#include "media/bytes.hpp"
#include "media/mpeg_file.hpp"
#include "tidewater/units.hpp"

struct sf_private_tag;  // libsndfile's SNDFILE

namespace TIDEWATER_OURS tidewater {

/// Reads an audio file piece by piece.
/// Thread: one at a time.
class ClipReader {
 public:
  /// Throws Error, with words for a person, where the file is missing, is not audio, or has other than one or two channels or an impossible
  /// rate.
  explicit ClipReader(const std::string& path) : ClipReader(open_file(path)) {}
  /// The same of bytes that lie anywhere.
  explicit ClipReader(std::unique_ptr<Bytes> bytes);
  /// The same without throwing: `problem` says why it cannot be read, and is empty where it can.
  struct ByValue {};
  ClipReader(std::unique_ptr<Bytes> bytes, ByValue);
  const std::string& problem() const { return problem_; }

  int channels() const { return channels_; }
  Hertz rate() const { return rate_; }
  bool sixteen_bits() const { return sixteen_bits_; }  ///< every sample is a multiple of 1/32768
  bool placeholder() const { return placeholder_; }    ///< a sketch, by the file's own comment
  /// The first loop that the file itself marks: frames [low, high).
  std::optional<Range<Frames>> loop() const;
  /// Frames that it says it has: a hint, which may be a lie. 0 where it does not say.
  std::int64_t said_frames() const { return said_frames_; }
  bool is_flac() const { return flac_; }
  /// Frames read so far, or where `seek` went.
  std::int64_t at() const { return at_; }

  /// Reads up to `frames` interleaved frames; full scale is 1. Fewer come at the end, and none after it.
  std::int64_t read(float* to, std::int64_t frames);
  /// Throws Error where it cannot be found.
  void seek(std::int64_t frame);
  bool try_seek(std::int64_t frame);

 private:
  struct Close {
    void operator()(sf_private_tag* file) const;
  };
  struct Vorbis;
  struct CloseVorbis {
    void operator()(Vorbis* file) const;
  };
  std::string begin(std::unique_ptr<Bytes> bytes);
  std::string shape_problem() const;

  /// How far the decoder has come in the bytes; it keeps its place, wherever the reader goes.
  struct Cursor;
  struct Forget {
    void operator()(Cursor* cursor) const;
  };
  std::unique_ptr<Cursor, Forget> cursor_;
  std::unique_ptr<sf_private_tag, Close> file_;
  std::unique_ptr<MpegFile> mpeg_;               ///< of an MP3 file, in place of the one above
  std::unique_ptr<Vorbis, CloseVorbis> vorbis_;  ///< once somebody has sought in such a file
  std::string problem_;
  int subtype_ = 0;
  int channels_ = 1;
  Hertz rate_;
  bool sixteen_bits_ = false;
  bool placeholder_ = false;
  std::int64_t said_frames_ = 0;
  bool flac_ = false;
  std::int64_t at_ = 0;
};

}  // namespace tidewater
