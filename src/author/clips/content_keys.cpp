#include "author/clips/content_keys.hpp"

#include "author/clips/cache_lines.hpp"

#include <fmt/format.h>
#include <sys/stat.h>
#include <xxhash.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>
#include <vector>

namespace tidewater {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

constexpr std::uintmax_t largest_list = 32U << 20U;

std::string hash_of(const std::string& file) {
  std::ifstream in(file, std::ios::binary);
  if (!in) return {};
  const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), XXH3_freeState);
  XXH3_128bits_reset(state.get());
  std::vector<char> piece(1U << 20U);
  while (in.read(piece.data(), static_cast<std::streamsize>(piece.size())) || in.gcount() > 0)
    XXH3_128bits_update(state.get(), piece.data(), static_cast<std::size_t>(in.gcount()));
  const XXH128_hash_t hash = XXH3_128bits_digest(state.get());
  return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

}  // namespace

std::string cache_folder() {
  if (const char* own = std::getenv("TIDEWATER_CACHE")) return own;
  if (const char* shared = std::getenv("XDG_CACHE_HOME"); shared != nullptr && *shared != '\0')
    return (fs::path(shared) / "tidewater").string();
  if (const char* home = std::getenv("HOME")) return (fs::path(home) / ".cache" / "tidewater").string();
  return (fs::temp_directory_path() / "tidewater-cache").string();
}

ContentKeys::ContentKeys() : path_((fs::path(cache_folder()) / "files.jsonl").string()) {
  read_cache_lines(path_, largest_list, [this](const Json& json) {
    seen_[json.at("file")] = {json.at("size"), json.at("time"), json.at("key")};
  });
}

std::string ContentKeys::of(const std::string& file) {
  struct stat status {};
  if (stat(file.c_str(), &status) != 0 || !S_ISREG(status.st_mode)) return {};
  const std::string name = fs::absolute(file).lexically_normal().string();
  const auto size = static_cast<std::uintmax_t>(status.st_size);
  const std::int64_t time = static_cast<std::int64_t>(status.st_mtim.tv_sec) * 1'000'000'000 + status.st_mtim.tv_nsec;
  {
    const std::lock_guard lock(mutex_);
    const auto known = seen_.find(name);
    if (known != seen_.end() && known->second.size == size && known->second.time == time) return known->second.key;
  }
  std::string key = hash_of(file);
  if (key.empty()) return key;
  const std::lock_guard lock(mutex_);
  seen_[name] = {size, time, key};
  const Json json = {{"file", name}, {"size", size}, {"time", time}, {"key", key}};
  added_ += cache_line(json);
  return key;
}

void ContentKeys::save() {
  const std::lock_guard lock(mutex_);
  append_to_cache(path_, added_);
}

}  // namespace tidewater
