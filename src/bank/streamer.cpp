#include "bank/streamer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr std::int64_t piece_frames = 2048;
/// How often the thread looks whether the voices have moved on: the rings hold a hundred times as much.
constexpr std::chrono::milliseconds between_looks{6};

}  // namespace

Streamer::~Streamer() {
  {
    const std::lock_guard lock(mutex_);
    done_ = true;
  }
  news_.notify_one();
  if (thread_.joinable()) thread_.join();
}

void Streamer::run_on_its_own() {
  if (!thread_.joinable()) thread_ = std::thread([this] { work(); });
}

Stream* Streamer::open(std::shared_ptr<const StreamedFile> file, std::int64_t position, bool loop) {
  Stream* stream = nullptr;
  {
    const std::lock_guard lock(mutex_);
    const auto free = std::find_if(streams_.begin(), streams_.end(), [](const auto& s) { return s->state == Stream::State::free; });
    stream = free != streams_.end() ? free->get() : streams_.emplace_back(std::make_unique<Stream>()).get();
    // The clip's head is in memory already.
    stream->ring.begin(std::max(file->head, position - reach));
    stream->file = std::move(file);
    stream->loop = loop;
    stream->failed = false;
    stream->state = Stream::State::open;
  }
  news_.notify_one();
  return stream;
}

void Streamer::close(Stream* stream) {
  const std::lock_guard lock(mutex_);
  stream->state = Stream::State::closing;
}

Stream* Streamer::most_urgent() {
  Stream* urgent = nullptr;
  for (const auto& stream : streams_) {
    if (stream->state == Stream::State::closing) return stream.get();
    if (stream->state != Stream::State::open || stream->failed || stream->ring.room() < piece_frames) continue;
    if (urgent == nullptr || stream->ring.ahead() < urgent->ring.ahead()) urgent = stream.get();
  }
  return urgent;
}

void Streamer::fail(Stream& stream, const std::string& why) {
  stream.trouble = fmt::format("'{}' cannot be streamed any further: {}", stream.file->path, why);
  stream.failed = true;
}

/// Reads one piece, or what is left of the round.
void Streamer::read_some(Stream& stream) {
  const StreamedFile& file = *stream.file;
  const std::int64_t next = stream.ring.next();
  const auto width = static_cast<std::size_t>(file.channels);
  piece_.resize(piece_frames * width);
  if (next >= file.frames && !stream.loop) {
    // A filter still reads a little behind the end.
    std::fill(piece_.begin(), piece_.end(), 0.0F);
    stream.ring.write(piece_.data(), file.channels, piece_frames);
    return;
  }
  const std::int64_t position = next % file.frames;
  if (!stream.reader) {
    stream.reader.emplace(file.path);
    if (stream.reader->channels() != file.channels || stream.reader->rate() != file.rate)
      throw Error("it has changed since the bank was made; make the bank again");
  }
  if (stream.reader->at() != position) stream.reader->seek(position);
  const std::int64_t got = stream.reader->read(piece_.data(), std::min(piece_frames, file.frames - position));
  if (got == 0)
    throw Error(
        fmt::format("it ends after {} of {} frames; it has changed since the bank was made, make the bank again", position, file.frames));
  for (float& x : piece_)
    if (!std::isfinite(x)) x = 0;
  stream.ring.write(piece_.data(), file.channels, got);
}

void Streamer::fill() {
  std::unique_lock lock(mutex_);
  while (Stream* stream = most_urgent()) {
    if (stream->state == Stream::State::closing) {
      stream->state = Stream::State::free;
      const auto reader = std::move(stream->reader);
      stream->reader.reset();
      continue;
    }
    lock.unlock();
    try {
      read_some(*stream);
    } catch (const std::exception& error) {
      fail(*stream, error.what());
    }
    lock.lock();
    if (done_) return;
  }
}

void Streamer::work() {
  for (;;) {
    fill();
    std::unique_lock lock(mutex_);
    if (done_) return;
    const bool any = std::any_of(streams_.begin(), streams_.end(), [](const auto& s) { return s->state != Stream::State::free; });
    const auto newcomer = [this] { return done_ || most_urgent() != nullptr; };
    if (any)
      news_.wait_for(lock, between_looks, newcomer);
    else
      news_.wait(lock, newcomer);
  }
}

}  // namespace tidewater
