#include "author/clip_cache.hpp"

#include <fmt/format.h>
#include <xxhash.h>

#include <unistd.h>
#include <algorithm>
#include <array>
#include <cstdio>
#include <filesystem>
#include <memory>
#include <vector>

#include "author/content_keys.hpp"
#include "dsp/resample.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

constexpr std::uintmax_t most_kept = std::uintmax_t{4} << 30U;

/// What stands before the samples. Changed whenever preparing changes: then old files are not taken for new ones.
struct Head {
  std::array<char, 8> mark = {'t', 'i', 'd', 'e', 'c', 'l', 'p', '1'};
  std::int32_t channels = 0;
  std::int32_t sample_size = 0;
  std::int64_t frames = 0, loop_from = 0;
  double level = 0;
  double streamed_rate = 0;  ///< 0 where all of it is in memory
  std::int64_t head_frames = 0;
  std::uint64_t bytes = 0;
};

struct Close {
  void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, Close>;

/// Whether a head can be that of a whole file of this size.
bool sound(const Head& head, std::uintmax_t size) {
  const bool shape = head.mark == Head{}.mark && (head.channels == 1 || head.channels == 2) &&
                     (head.sample_size == 2 || head.sample_size == 4) && head.frames > 0 && head.loop_from >= 0 &&
                     head.loop_from < head.frames && head.head_frames >= 0;
  if (!shape) return false;
  const auto kept = static_cast<std::uintmax_t>(head.streamed_rate > 0 ? head.head_frames : head.frames);
  return head.bytes == (kept + 2 * reach) * static_cast<std::uintmax_t>(head.channels * head.sample_size) &&
         size == sizeof(Head) + head.bytes;
}

}  // namespace

ClipCache::ClipCache() : folder_((fs::path(cache_folder()) / "prepared").string()) {}

std::string ClipCache::key(const std::string& content, const std::string& ending, const std::string& way) {
  const std::string rest = ending + "\n" + way;
  return fmt::format("{}-{:016x}", content, XXH3_64bits(rest.data(), rest.size()));
}

bool ClipCache::read(const std::string& key, const std::string& name, const std::string& file, BankClip& clip) const {
  if (key.empty()) return false;
  const std::string path = (fs::path(folder_) / key).string();
  const File in(std::fopen(path.c_str(), "rb"));
  Head head;
  std::error_code error;
  if (!in || std::fread(&head, sizeof head, 1, in.get()) != 1 || !sound(head, fs::file_size(path, error))) return false;
  const std::shared_ptr<char[]> memory(new char[head.bytes]);  // not cleared: it is filled at once
  std::setvbuf(in.get(), nullptr, _IONBF, 0);
  if (std::fread(memory.get(), 1, head.bytes, in.get()) != head.bytes) return false;
  clip.name = name;
  clip.channels = head.channels;
  clip.frames = head.frames;
  clip.loop_from = head.loop_from;
  clip.level = {head.level};
  if (head.sample_size == 2)
    clip.shorts = {reinterpret_cast<const std::int16_t*>(memory.get()), head.bytes / 2};
  else
    clip.floats = {reinterpret_cast<const float*>(memory.get()), head.bytes / 4};
  clip.memory = memory;
  if (head.streamed_rate > 0)
    clip.streamed =
        std::make_shared<const StreamedFile>(StreamedFile{file, head.channels, Hertz{head.streamed_rate}, head.frames, head.head_frames});
  return true;
}

void ClipCache::write(const std::string& key, const BankClip& clip) const {
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
  if (clip.streamed) {
    head.streamed_rate = clip.streamed->rate.value;
    head.head_frames = clip.streamed->head;
  }
  head.bytes = clip.bytes();
  bool written = false;
  if (const File out(std::fopen(unfinished.c_str(), "wb")); out) {
    const void* samples = clip.shorts.empty() ? static_cast<const void*>(clip.floats.data()) : clip.shorts.data();
    written = std::fwrite(&head, sizeof head, 1, out.get()) == 1 && std::fwrite(samples, 1, head.bytes, out.get()) == head.bytes &&
              std::fflush(out.get()) == 0;
  }
  if (written)
    fs::rename(unfinished, path, ignored);
  else
    fs::remove(unfinished, ignored);
}

void ClipCache::tidy() const {
  struct Kept {
    fs::file_time_type time;
    std::uintmax_t size;
    fs::path path;
  };
  std::vector<Kept> all;
  std::uintmax_t total = 0;
  std::error_code error;
  for (fs::directory_iterator it(folder_, error), end; !error && it != end; it.increment(error)) {
    std::error_code ignored;
    all.push_back({it->last_write_time(ignored), it->file_size(ignored), it->path()});
    total += all.back().size;
  }
  if (total <= most_kept) return;
  std::sort(all.begin(), all.end(), [](const Kept& a, const Kept& b) { return a.time < b.time; });
  for (const auto& kept : all) {
    if (total <= most_kept) return;
    fs::remove(kept.path, error);
    total -= kept.size;
  }
}

}  // namespace tidewater
