#include "author/clips/prepared_clips.hpp"

#include <fmt/format.h>

#include <filesystem>
#include <optional>

#include "author/clips/book_clips.hpp"
#include "author/clips/bring_to_rate.hpp"
#include "author/clips/clip_cache.hpp"
#include "author/clips/content_keys.hpp"
#include "author/clips/encode.hpp"
#include "author/clips/in_parallel.hpp"
#include "author/clips/ways.hpp"
#include "media/clip_reader.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr Seconds shortest_streamed{1};

bool streams(const BookLayer& layer, const Audio& audio, const ClipWays& ways) {
  if (audio.rendered || layer.loop.between == BookLoop::Between::behind || layer.loop.crossfade > Seconds{} ||
      audio.length() < shortest_streamed)
    return false;
  return layer.stream.value_or(audio.length() > ways.stream_from);
}

/// One way in which a clip is used.
struct Job {
  std::string path;  ///< as the book names it
  std::string file;  ///< in the folder of clips, of the language that is spoken
  const BookLayer* layer;
  FilePlace place;
  ClipWays ways;
  std::string way;  ///< everything but the file's content that decides what becomes of it
  BankClip clip{};
  std::string problem{};
};

bool encodes(const ClipWays& ways) { return ways.codec != BookWays::Codec::as_it_is; }

/// Ends of a loop that were encoded with losses do not meet: it would click, 20 to 50 dB below its level.
BookWays::Codec codec_for(const BookLayer& layer, const ClipWays& ways) {
  return encodes(ways) && !layer.loop.loops() ? ways.codec : BookWays::Codec::flac;
}

/// Whether nothing would be won by encoding it: FLAC again is FLAC, and a loop whose ends meet in spite of losses would grow as FLAC.
bool stays(const std::string& file, const BookLayer& layer, const ClipWays& ways) {
  const std::string ending = std::filesystem::path(file).extension().string();
  const bool loops = layer.loop.loops();
  const bool lossy = ending == ".ogg" || ending == ".opus" || ending == ".mp3";
  return !encodes(ways) || (loops && lossy) || (codec_for(layer, ways) == BookWays::Codec::flac && ending == ".flac");
}

/// A loop whose file has losses stays as it is, in stereo, too: as one channel without losses it would take several times as much.
bool stays_stereo(const std::string& file, const BookLayer& layer) {
  const std::string ending = std::filesystem::path(file).extension().string();
  return layer.loop.loops() && (ending == ".ogg" || ending == ".opus" || ending == ".mp3");
}

BankClip prepare(const Book& book, const Job& job, const std::string& key, Hertz rate) {
  const BookLayer& layer = *job.layer;
  Audio audio = clip_audio(book, job.file);
  const bool folds = job.ways.mono && audio.channels == 2 && !(streams(layer, audio, job.ways) && stays_stereo(job.file, layer));
  if (folds) audio = to_mono(audio);
  if (streams(layer, audio, job.ways)) {
    std::string file = std::filesystem::absolute(clip_file(book, job.file)).string();
    if (!stays(file, layer, job.ways) || folds) {
      const auto codec = codec_for(layer, job.ways);
      file = encoded_file(audio, codec, job.ways.quality, key);
      const bool the_same = codec == BookWays::Codec::flac && audio.sixteen_bits;
      if (!the_same) audio = decode_file(file);  // what is heard is what is read from it
    }
    const LoopedAudio played = cut_loop(std::move(audio), layer.loop);
    return make_streamed_clip(job.path, file, played.audio.channels, played.audio.rate, played.audio.samples, rate,
                              std::max<std::int64_t>(0, played.loop_from));
  }
  const bool exact = audio.sixteen_bits && audio.rate == rate && layer.loop.crossfade == Seconds{};
  LoopedAudio ready = bring_to_rate(cut_loop(std::move(audio), layer.loop), rate);
  ready.audio.sixteen_bits = exact;
  if (job.ways.samples == BookWays::Samples::sixteen_bits) ready.audio = to_sixteen_bits(std::move(ready.audio));
  BankClip clip = make_clip(job.path, ready.audio.channels, ready.audio.samples, ready.audio.sixteen_bits);
  clip.loop_from = ready.loop_from;
  return clip;
}

/// Whether a clip that was prepared before, and streams, has the file that it was made for.
bool streams_whence(const Job& job, const std::string& file, const std::string& encoded) {
  if (job.clip.streamed == nullptr || !encoded.empty()) return true;
  return stays(file, *job.layer, job.ways) &&
         (!job.ways.mono || stays_stereo(file, *job.layer) || ClipReader(file).channels() == job.clip.channels);
}

std::string way_of(const Book& book, const BookLayer& layer, Hertz rate, const ClipWays& ways) {
  const BookLoop& loop = layer.loop;
  return fmt::format("5 {} {} {} {} {} {} {} {} {} {} {} {} {} {} {}", rate.value, static_cast<int>(loop.between), loop.time.low.value,
                     loop.time.high.value, loop.frames.low.value, loop.frames.high.value, loop.crossfade.value, loop.tempo.value,
                     loop.first_beat.value, loop.from_beat, loop.to_beat, layer.stream ? (*layer.stream ? 1 : 0) : 2, book.soundfont,
                     to_text(ways), encodes(ways) || ways.mono ? encoder_version() : "");
}

/// Prepares these jobs on every core. What was prepared before, by whatever program, is read from the cache.
void prepare_new(const Book& book, Hertz rate, std::vector<Job>& jobs, const std::vector<std::size_t>& which,
                 const std::function<void(std::size_t, std::size_t)>& progress) {
  ContentKeys keys;
  const ClipCache cache;
  in_parallel(
      which.size(),
      [&](std::size_t i) {
        Job& job = jobs[which[i]];
        const bool made_up = book.sketches.contains(job.path);
        const std::string file = clip_file(book, job.file);
        const std::string content = made_up ? "" : keys.of(file);
        const std::string key = content.empty() ? "" : ClipCache::key(content, std::filesystem::path(file).extension().string(), job.way);
        try {
          const std::string encoded = encoded_before(key);
          if (cache.read(key, job.path, encoded.empty() ? std::filesystem::absolute(file).string() : encoded, job.clip) &&
              streams_whence(job, file, encoded))
            return;
          job.clip = prepare(book, job, key, rate);
          cache.write(key, job.clip, job.clip.streamed != nullptr && job.clip.streamed->path == encoded_before(key));
        } catch (const Error& error) {
          job.problem = error.what();
        }
      },
      progress);
  keys.save();
  cache.tidy();
}

}  // namespace

PreparedClips::PreparedClips(const Book& book, Hertz rate, const BookTarget* target, const std::string& language,
                             const std::function<void(std::size_t, std::size_t)>& progress, KeptClips* kept) {
  std::map<std::pair<std::string, std::string>, std::size_t> known;  // by path and way
  std::vector<Job> jobs;
  for (const auto& sound : book.sounds) {
    const ClipWays ways = ways_for(book, target, sound);
    sound.each_clip([&](const BookLayer& layer, const BookClip& clip) {
      std::string way = way_of(book, layer, rate, ways);
      const auto [job, fresh] = known.try_emplace({clip.path, way}, jobs.size());
      if (fresh) jobs.push_back({clip.path, clip_in(book, clip.path, language), &layer, clip.place, ways, std::move(way)});
      numbers_[{clip.path, &layer}] = static_cast<std::uint32_t>(job->second);
    });
  }

  std::vector<std::string> made_of(jobs.size());
  std::vector<std::size_t> left;
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    if (kept != nullptr) made_of[i] = made_from(book, book.sketches.contains(jobs[i].path) ? jobs[i].path : jobs[i].file);
    if (!made_of[i].empty()) made_of[i] += " " + jobs[i].path + " " + jobs[i].way;
    const std::optional<BankClip> known = made_of[i].empty() ? std::nullopt : kept->clips.find(made_of[i]);
    if (known)
      jobs[i].clip = *known;
    else
      left.push_back(i);
  }
  if (!left.empty()) prepare_new(book, rate, jobs, left, progress);
  for (const std::size_t i : left)
    if (!made_of[i].empty() && jobs[i].problem.empty()) kept->clips.keep(made_of[i], jobs[i].clip);
  for (auto& job : jobs) {
    if (!job.problem.empty()) problems_.push_back({job.place, fmt::format("clip '{}': {}", job.file, job.problem)});
    job.clip.name = job.file;  // of the language that is spoken
    clips_.push_back(std::move(job.clip));
  }
}

}  // namespace tidewater
