#include "bank/streamer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "base/fail.hpp"

namespace tidewater {
namespace {

constexpr std::int64_t piece_frames = 2048;
/// What is beyond is no sample, but damage.
constexpr float loudest_sample = 1000;

}  // namespace

void Streamer::prepare(std::size_t streams) {
  const std::lock_guard lock(mutex_);
  while (streams_.size() < streams) streams_.push_back(std::make_unique<Stream>());
}

Stream* Streamer::open(std::shared_ptr<const StreamedFile> file, std::int64_t position, bool loop) {
  const std::lock_guard lock(mutex_);
  const auto free =
      std::find_if(streams_.begin(), streams_.end(), [](const auto& s) { return s->state != Stream::State::open && !s->busy; });
  Stream* stream = free != streams_.end() ? free->get() : streams_.emplace_back(std::make_unique<Stream>()).get();
  stream->stale = stream->state == Stream::State::closing;
  // The clip's head is in memory already.
  stream->ring.begin(std::max(file->head, position - reach));
  stream->file = std::move(file);
  stream->loop = loop;
  stream->failed = false;
  stream->state = Stream::State::open;
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

void Streamer::give_up(Stream& stream, const std::string& why) {
  stream.trouble = fmt::format("'{}' cannot be streamed any further: {}", stream.file->path, why);
  stream.failed = true;
}

/// Makes source frames [first, end) be there: what is there is kept, what lies before it is forgotten.
std::string Streamer::read_source(Stream& stream, std::int64_t first, std::int64_t end) {
  const StreamedFile& file = *stream.file;
  const auto width = static_cast<std::size_t>(file.channels);
  std::int64_t at = stream.first + static_cast<std::int64_t>(stream.source[0].size());
  const std::int64_t forgotten = first < stream.first || first > at ? at - stream.first : first - stream.first;
  for (std::size_t channel = 0; channel < width; ++channel) {
    auto& samples = stream.source[channel];
    samples.erase(samples.begin(), samples.begin() + static_cast<std::ptrdiff_t>(forgotten));
  }
  stream.first = stream.source[0].empty() ? first : stream.first + forgotten;
  at = stream.first + static_cast<std::int64_t>(stream.source[0].size());
  piece_.resize(piece_frames * width);
  while (at < end) {
    // Before the head there is nothing, and behind the end of what does not loop.
    std::int64_t got = std::min(piece_frames, end - at);
    if (at < 0 || (!stream.loop && at >= file.file_frames)) {
      if (at < 0) got = std::min(got, -at);
      std::fill(piece_.begin(), piece_.end(), 0.0F);
    } else {
      const std::int64_t behind = at - file.file_frames;
      const std::int64_t position = behind < 0 ? at : file.loop_from + behind % (file.file_frames - file.loop_from);
      if (stream.reader->at() != position && !stream.reader->try_seek(position))
        return fmt::format("frame {} in it cannot be found", position);
      got = stream.reader->read(piece_.data(), std::min(got, file.file_frames - position));
      if (got == 0)
        return fmt::format("it ends after {} of {} frames; it has changed since the bank was made, make the bank again", position,
                           file.file_frames);
    }
    for (std::size_t channel = 0; channel < width; ++channel) {
      auto& samples = stream.source[channel];
      const std::size_t known = samples.size();
      samples.resize(known + static_cast<std::size_t>(got));
      for (std::size_t i = 0; i < static_cast<std::size_t>(got); ++i) {
        const float x = piece_[i * width + channel];
        samples[known + i] = std::abs(x) <= loudest_sample ? x : 0.0F;
      }
    }
    at += got;
  }
  return {};
}

/// Reads one piece, or what is left.
std::string Streamer::read_piece(Stream& stream) {
  const StreamedFile& file = *stream.file;
  const std::int64_t next = stream.ring.next();
  const auto width = static_cast<std::size_t>(file.channels);
  made_.resize(piece_frames * width);
  if (next >= file.frames && !stream.loop) {
    // A filter still reads a little behind the end.
    std::fill(made_.begin(), made_.end(), 0.0F);
    stream.ring.write(made_.data(), file.channels, piece_frames);
    return {};
  }
  if (!stream.reader) {
    Read<std::unique_ptr<Bytes>> bytes = read_file(file);
    if (!bytes.value) return bytes.problem;
    stream.reader.emplace(*std::move(bytes.value), ClipReader::ByValue{});
    std::string problem = stream.reader->problem();
    const bool the_same = stream.reader->channels() == file.channels && stream.reader->rate() == file.rate;
    if (problem.empty() && !the_same) problem = "it has changed since the bank was made; make the bank again";
    if (!problem.empty()) {
      stream.reader.reset();
      return problem;
    }
    stream.converter = converter_for(file.rate, file.bank_rate);
    for (auto& samples : stream.source) samples.clear();
  }
  const RateConverter& converter = *stream.converter;
  const std::int64_t count = stream.loop ? piece_frames : std::min(piece_frames, file.frames - next);
  std::string problem =
      read_source(stream, converter.source_of(next) - converter.half(), converter.source_of(next + count - 1) + converter.half() + 1);
  if (!problem.empty()) return problem;
  for (std::size_t channel = 0; channel < width; ++channel)
    converter.convert(stream.source[channel].data(), stream.first, next, count, made_.data() + channel, file.channels);
  stream.ring.write(made_.data(), file.channels, count);
  return {};
}

bool Streamer::read_some() {
  std::unique_lock lock(mutex_);
  Stream* const stream = most_urgent();
  if (stream == nullptr) return false;
  const bool closes = stream->state == Stream::State::closing;
  const bool stale = std::exchange(stream->stale, false);
  stream->busy = true;
  lock.unlock();
  // Closing a file may take long, too, and nobody waits for it.
  if (closes || stale) stream->reader.reset();
  if (closes) {
    stream->converter.reset();
  } else {
    const std::string problem = problem_of([&] { return read_piece(*stream); });
    if (!problem.empty()) give_up(*stream, problem);
  }
  lock.lock();
  stream->busy = false;
  if (closes) stream->state = Stream::State::free;
  return true;
}

bool Streamer::any_open() {
  const std::lock_guard lock(mutex_);
  return std::any_of(streams_.begin(), streams_.end(), [](const auto& s) { return s->state != Stream::State::free; });
}

}  // namespace tidewater
