#pragma once
/// Reads streamed clips from disk ahead of the voices that play them, and brings them to the bank's rate.

#include <array>
#include <atomic>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "base/ours.hpp"
#include "dsp/rate_converter.hpp"
#include "media/clip_reader.hpp"
#include "mix/stream_ring.hpp"

namespace TIDEWATER_OURS tidewater {

/// One clip on its way to one voice.
struct Stream {
  StreamRing ring;
  /// True once it cannot go on; then `trouble` says why.
  std::atomic<bool> failed{false};
  std::string trouble;

 private:
  friend class Streamer;
  enum class State { free, open, closing };
  std::shared_ptr<const StreamedFile> file;
  std::optional<ClipReader> reader;
  std::shared_ptr<const RateConverter> converter;
  /// Source frames [first, first + as many as there are), each channel by itself, unrolled: a loop goes on counting.
  std::array<std::vector<float>, 2> source;
  std::int64_t first = 0;
  State state = State::free;
  bool busy = false;   ///< the thread that reads has it in hand
  bool stale = false;  ///< its reader is of another file, that it had before
  bool loop = false;
};

/// Many streams share one reading thread fairly: whichever would run dry first is read next.
///
/// Threads: `open` and `close` belong to whoever holds the control side; they take a short lock that is never held
/// while a file is read. `read_some` and `fill` belong to whoever reads (bank/reader.hpp).
class Streamer {
 public:
  /// Room for so many streams at once, so that opening one allocates nothing. May take long.
  void prepare(std::size_t streams);
  /// Reads a piece of what would run dry first; false where nothing needs any.
  bool read_some();
  /// Whether anything streams, or is to be closed.
  bool any_open();
  /// Reads until every ring is full.
  void fill() {
    while (read_some()) {
    }
  }

  /// Begins at a frame of the clip. Touches no file: what cannot be read turns up as a failed stream.
  Stream* open(std::shared_ptr<const StreamedFile> file, std::int64_t position, bool loop);
  /// Its voice has finished.
  void close(Stream* stream);

 private:
  Stream* most_urgent();
  // Both are empty, or say what went wrong.
  std::string read_piece(Stream& stream);
  std::string read_source(Stream& stream, std::int64_t first, std::int64_t end);
  void give_up(Stream& stream, const std::string& why);

  std::mutex mutex_;
  std::vector<std::unique_ptr<Stream>> streams_;
  std::vector<float> piece_;  ///< of a file
  std::vector<float> made_;   ///< at the bank's rate
};

}  // namespace tidewater
