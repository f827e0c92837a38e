#include "author/clips/clip_cache.hpp"

#include <fmt/format.h>
#include <xxhash.h>

#include <unistd.h>
#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstddef>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <memory>
#include <vector>

#include "author/clips/content_keys.hpp"
#include "author/clips/encode.hpp"
#include "dsp/kernels.hpp"
#include "dsp/rate_converter.hpp"
#include "dsp/resample.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

constexpr std::uintmax_t largest_file = std::uintmax_t{8} << 30U;
constexpr std::uintmax_t most_kept = std::uintmax_t{4} << 30U;

/// What stands before the samples. Changed whenever preparing changes: then old files are not taken for new ones.
struct Head {
  std::array<char, 8> mark = {'t', 'i', 'd', 'e', 'c', 'l', 'p', '6'};
  std::uint64_t hash = 0;  ///< XXH3 of all that follows
  std::int32_t channels = 0;
  std::int32_t sample_size = 0;
  std::int64_t frames = 0, loop_from = 0;
  double level = 0;
  double fold = 1;
  double streamed_rate = 0;  ///< 0 where all of it is in memory
  double bank_rate = 0;      ///< of what streams
  std::int64_t file_frames = 0;
  std::int64_t head_frames = 0;
  std::int64_t file_loop_from = 0;  ///< of what streams
  std::uint64_t end_of_file = 0;    ///< of one that was encoded, by which it is known to be whole
  std::uint64_t bytes = 0;
};
static_assert(std::is_trivially_copyable_v<Head> && sizeof(Head) == 112);

constexpr std::size_t hashed_from = offsetof(Head, hash) + sizeof(Head::hash);
constexpr std::int64_t most_frames = std::int64_t{1} << 37U;  // 20 minutes, brought from the lowest rate to the highest

struct Close {
  void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, Close>;

/// Whether a head can be that of a whole file of this size. Every product below stays within 64 bits.
bool sound(const Head& head, std::size_t size) {
  const bool shape = head.mark == Head{}.mark && (head.channels == 1 || head.channels == 2) &&
                     (head.sample_size == 2 || head.sample_size == 4) && head.frames > 0 && head.frames <= most_frames &&
                     head.loop_from >= 0 && head.loop_from < head.frames && head.head_frames >= 0 && head.head_frames <= head.frames &&
                     !std::isnan(head.level) && head.level < 200 && head.fold >= 0.5 && head.fold <= 2;
  if (!shape) return false;
  if (head.streamed_rate != 0 && !(head.streamed_rate >= 1000 && head.streamed_rate <= 768'000 && head.sample_size == 4 &&
                                   head.bank_rate >= 8000 && head.bank_rate <= 192'000 && head.file_frames > 0 &&
                                   head.file_frames <= most_frames && head.file_loop_from >= 0 && head.file_loop_from < head.file_frames &&
                                   head.frames == RateConverter::length(head.file_frames, {head.streamed_rate}, {head.bank_rate})))
    return false;
  const auto kept = static_cast<std::uint64_t>(head.streamed_rate > 0 ? head.head_frames : head.frames);
  return head.bytes == (kept + 2 * reach) * static_cast<std::uint64_t>(head.channels) * static_cast<std::uint64_t>(head.sample_size) &&
         size == sizeof(Head) + head.bytes;
}

/// Whether the filters' surroundings are silent and every sample is one.
bool playable(const BankClip& clip) {
  const auto stride = static_cast<std::size_t>(clip.kept()) + 2 * reach;
  const auto silent = [&](const auto& samples) {
    for (std::size_t at = 0; at < samples.size(); at += stride)
      for (std::size_t i = 0; i < reach; ++i)
        if (samples[at + i] != 0 || samples[at + stride - 1 - i] != 0) return false;
    return true;
  };
  constexpr std::size_t piece = 1U << 20U;
  for (std::size_t at = 0; at < clip.floats.size(); at += piece)
    if (!kernels::finite(clip.floats.data() + at, static_cast<int>(std::min(piece, clip.floats.size() - at)))) return false;
  return silent(clip.shorts) && silent(clip.floats);
}

}  // namespace

ClipCache::ClipCache() : folder_((fs::path(cache_folder()) / "prepared").string()) {}

std::string ClipCache::key(const std::string& content, const std::string& ending, const std::string& way) {
  const std::string rest = ending + "\n" + way;
  return fmt::format("{}-{:016x}", content, XXH3_64bits(rest.data(), rest.size()));
}

std::uint64_t prepared_hash(std::span<const char> file) {
  return file.size() < hashed_from ? 0 : XXH3_64bits(file.data() + hashed_from, file.size() - hashed_from);
}

bool read_prepared(const std::shared_ptr<const char[]>& memory, std::size_t size, const std::string& file, BankClip& clip) {
  Head head;
  if (size < sizeof head) return false;
  std::memcpy(&head, memory.get(), sizeof head);
  if (!sound(head, size) || head.hash != prepared_hash({memory.get(), size})) return false;
  const char* samples = memory.get() + sizeof head;
  clip.channels = head.channels;
  clip.frames = head.frames;
  clip.loop_from = head.loop_from;
  clip.level = {head.level};
  clip.fold = static_cast<float>(head.fold);
  if (head.sample_size == 2)
    clip.shorts = {reinterpret_cast<const std::int16_t*>(samples), head.bytes / 2};
  else
    clip.floats = {reinterpret_cast<const float*>(samples), head.bytes / 4};
  clip.memory = std::shared_ptr<const void>(memory, samples);
  if (head.streamed_rate > 0)
    clip.streamed =
        std::make_shared<const StreamedFile>(StreamedFile{file, head.channels, Hertz{head.streamed_rate}, head.file_frames,
                                                          head.file_loop_from, Hertz{head.bank_rate}, head.frames, head.head_frames});
  if (head.end_of_file != 0 && head.end_of_file != end_of_encoded(file)) return false;
  return playable(clip);
}

bool ClipCache::read(const std::string& key, const std::string& name, const std::string& file, BankClip& clip) const {
  if (key.empty()) return false;
  const std::string path = (fs::path(folder_) / key).string();
  const File in(std::fopen(path.c_str(), "rb"));
  if (!in) return false;
  std::error_code error;
  const std::uintmax_t size = fs::file_size(path, error);
  bool whole = !error && size >= sizeof(Head) && size <= largest_file;
  if (whole) {
    const std::shared_ptr<char[]> memory(new char[size]);  // not cleared: it is filled at once
    std::setvbuf(in.get(), nullptr, _IONBF, 0);
    whole = std::fread(memory.get(), 1, size, in.get()) == size && read_prepared(memory, size, file, clip);
  }
  if (whole)
    clip.name = name;
  else {
    clip = {};
    fs::remove(path, error);  // it is made again
  }
  return whole;
}

void ClipCache::write(const std::string& key, const BankClip& clip, bool encoded) const {
  if (key.empty()) return;
  std::error_code ignored;
  fs::create_directories(folder_, ignored);
  const fs::path path = fs::path(folder_) / key;
  const std::string unfinished = fmt::format("{}.{}.part", path.string(), getpid());
  Head head;
  head.channels = clip.channels;
  head.sample_size = clip.shorts.empty() ? 4 : 2;
  head.frames = clip.frames;
  head.loop_from = clip.loop_from;
  head.level = clip.level.value;
  head.fold = static_cast<double>(clip.fold);
  if (clip.streamed) {
    head.streamed_rate = clip.streamed->rate.value;
    head.bank_rate = clip.streamed->bank_rate.value;
    head.file_frames = clip.streamed->file_frames;
    head.head_frames = clip.streamed->head;
    head.file_loop_from = clip.streamed->loop_from;
    if (encoded) head.end_of_file = end_of_encoded(clip.streamed->path);
  }
  head.bytes = clip.bytes();
  const void* samples = clip.shorts.empty() ? static_cast<const void*>(clip.floats.data()) : clip.shorts.data();
  const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> hash(XXH3_createState(), XXH3_freeState);
  XXH3_64bits_reset(hash.get());
  XXH3_64bits_update(hash.get(), reinterpret_cast<const char*>(&head) + hashed_from, sizeof head - hashed_from);
  XXH3_64bits_update(hash.get(), samples, head.bytes);
  head.hash = XXH3_64bits_digest(hash.get());
  bool written = false;
  if (const File out(std::fopen(unfinished.c_str(), "wb")); out) {
    written = std::fwrite(&head, sizeof head, 1, out.get()) == 1 && std::fwrite(samples, 1, head.bytes, out.get()) == head.bytes &&
              std::fflush(out.get()) == 0;
  }
  if (written)
    fs::rename(unfinished, path, ignored);
  else
    fs::remove(unfinished, ignored);
}

namespace {

/// Removes the oldest until no more than so many bytes are there; those that were used within so long stay, whatever they take.
void tidy_folder(const fs::path& folder, std::uintmax_t most, std::chrono::hours stays) {
  struct Kept {
    fs::file_time_type time;
    std::uintmax_t size;
    fs::path path;
  };
  std::vector<Kept> all;
  std::uintmax_t total = 0;
  std::error_code error;
  for (fs::directory_iterator it(folder, error), end; !error && it != end; it.increment(error)) {
    std::error_code ignored;
    all.push_back({it->last_write_time(ignored), it->file_size(ignored), it->path()});
    total += all.back().size;
  }
  if (total <= most) return;
  std::sort(all.begin(), all.end(), [](const Kept& a, const Kept& b) { return a.time < b.time; });
  for (const auto& kept : all) {
    if (total <= most || kept.time > fs::file_time_type::clock::now() - stays) return;
    fs::remove(kept.path, error);
    total -= kept.size;
  }
}

}  // namespace

void ClipCache::tidy() const {
  tidy_folder(folder_, most_kept, std::chrono::hours(0));
  // Whoever packs reads these to the end, and may take long.
  tidy_folder(fs::path(cache_folder()) / "encoded", most_kept, std::chrono::hours(24));
}

}  // namespace tidewater
