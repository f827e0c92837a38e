#pragma once
#include <cstdint>
#include <memory>
#include <string>

#include "base/ours.hpp"
#include "media/bytes.hpp"
#include "tidewater/units.hpp"

struct mpg123_handle_struct;

namespace TIDEWATER_OURS tidewater {

/// An MP3 file, read by libmpg123 itself: as libsndfile uses it, it prints words of its own into a game's stderr.
/// Thread: one at a time.
class MpegFile {
 public:
  /// Whether a file begins as an MPEG audio stream does: with a frame's sync word, or an ID3 tag before it.
  static bool begins_so(Bytes& bytes);

  explicit MpegFile(std::unique_ptr<Bytes> bytes);
  /// Why it cannot be read; empty where it can.
  const std::string& problem() const { return problem_; }

  int channels() const { return channels_; }
  Hertz rate() const { return rate_; }
  /// Up to `frames` interleaved frames; full scale is 1. Fewer come at the end, and where nothing more can be read.
  std::int64_t read(float* to, std::int64_t frames);
  /// False where it cannot be found.
  bool seek(std::int64_t frame);

 private:
  struct Close {
    void operator()(mpg123_handle_struct* file) const;
  };
  struct Cursor {
    std::unique_ptr<Bytes> bytes;
    std::int64_t at = 0;
  };
  std::unique_ptr<Cursor> cursor_;
  std::unique_ptr<mpg123_handle_struct, Close> file_;
  std::string problem_;
  int channels_ = 1;
  Hertz rate_;
};

}  // namespace tidewater
