#include "author/clips/prepared_clips.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "author/clips/book_clips.hpp"
#include "author/clips/bring_to_rate.hpp"
#include "author/clips/clip_cache.hpp"
#include "author/clips/content_keys.hpp"
#include "author/clips/in_parallel.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// What is longer than this plays from disk, unless the book says otherwise.
constexpr Seconds longest_in_memory{30};
constexpr Seconds shortest_streamed{1};

bool streams(const BookLayer& layer, const Audio& audio) {
  const bool whole = layer.loop.between <= BookLoop::Between::whole && layer.loop.crossfade == Seconds{};
  if (audio.rendered || !whole || audio.length() < shortest_streamed) return false;
  return layer.stream.value_or(audio.length() > longest_in_memory);
}

BankClip prepare(const Book& book, const std::string& path, const BookLayer& layer, Hertz rate) {
  const Audio audio = clip_audio(book, path);
  if (streams(layer, audio)) {
    const std::string file = std::filesystem::absolute(clip_file(book, path)).string();
    return make_streamed_clip(path, file, audio.channels, audio.rate, audio.samples, rate);
  }
  const bool sixteen_bits = audio.sixteen_bits && audio.rate == rate && layer.loop.crossfade == Seconds{};
  const LoopedAudio ready = bring_to_rate(cut_loop(audio, layer.loop), rate);
  BankClip clip = make_clip(path, ready.audio.channels, ready.audio.samples, sixteen_bits);
  clip.loop_from = ready.loop_from;
  return clip;
}

/// Everything but the file's content that decides what becomes of it.
std::string way_of(const Book& book, const BookLayer& layer, Hertz rate) {
  const BookLoop& loop = layer.loop;
  return fmt::format("{} {} {} {} {} {} {} {} {}", rate.value, static_cast<int>(loop.between), loop.time.low.value, loop.time.high.value,
                     loop.frames.low.value, loop.frames.high.value, loop.crossfade.value, layer.stream ? (*layer.stream ? 1 : 0) : 2,
                     book.soundfont);
}

struct Job {
  std::string path;
  const BookLayer* layer;
  Place place;
  std::string way;
  BankClip clip{};
  std::string problem{};
};

}  // namespace

PreparedClips::PreparedClips(const Book& book, Hertz rate) {
  std::map<std::pair<std::string, std::string>, std::size_t> known;  // by path and way
  std::vector<Job> jobs;
  for (const auto& sound : book.sounds)
    sound.each_clip([&](const BookLayer& layer, const BookClip& clip) {
      std::string way = way_of(book, layer, rate);
      const auto [job, fresh] = known.try_emplace({clip.path, way}, jobs.size());
      if (fresh) jobs.push_back({clip.path, &layer, clip.place, std::move(way)});
      numbers_[{clip.path, &layer}] = static_cast<std::uint32_t>(job->second);
    });

  ContentKeys keys;
  const ClipCache cache;
  in_parallel(jobs.size(), [&](std::size_t i) {
    Job& job = jobs[i];
    const bool made_up = book.sketches.contains(job.path);
    const std::string file = clip_file(book, job.path);
    const std::string content = made_up ? "" : keys.of(file);
    const std::string key = content.empty() ? "" : ClipCache::key(content, std::filesystem::path(file).extension().string(), job.way);
    try {
      if (cache.read(key, job.path, std::filesystem::absolute(file).string(), job.clip)) return;
      job.clip = prepare(book, job.path, *job.layer, rate);
      cache.write(key, job.clip);
    } catch (const Error& error) {
      job.problem = error.what();
    }
  });
  keys.save();
  cache.tidy();
  for (auto& job : jobs) {
    if (!job.problem.empty()) problems_.push_back({job.place, fmt::format("clip '{}': {}", job.path, job.problem)});
    clips_.push_back(std::move(job.clip));
  }
}

}  // namespace tidewater
