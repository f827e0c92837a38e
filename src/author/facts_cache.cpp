#include "author/facts_cache.hpp"

#include <fmt/format.h>
#include <xxhash.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>

namespace tidewater {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

/// Part of every key: facts of another way of measuring are not found.
constexpr int measuring = 1;
constexpr std::uintmax_t largest_cache = 64U << 20U;

std::string cache_folder() {
  if (const char* own = std::getenv("TIDEWATER_CACHE")) return own;
  if (const char* shared = std::getenv("XDG_CACHE_HOME"); shared != nullptr && *shared != '\0')
    return (fs::path(shared) / "tidewater").string();
  if (const char* home = std::getenv("HOME")) return (fs::path(home) / ".cache" / "tidewater").string();
  return (fs::temp_directory_path() / "tidewater-cache").string();
}

/// XXH3, 128 bits, of the whole file and of what else its facts depend on; empty where it cannot be read.
std::string key_of(const std::string& file, const std::string& soundfont) {
  std::ifstream in(file, std::ios::binary);
  if (!in) return {};
  const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), XXH3_freeState);
  XXH3_128bits_reset(state.get());
  std::vector<char> piece(1U << 20U);
  while (in.read(piece.data(), static_cast<std::streamsize>(piece.size())) || in.gcount() > 0)
    XXH3_128bits_update(state.get(), piece.data(), static_cast<std::size_t>(in.gcount()));
  const std::string rest = fs::path(file).extension().string() + "\n" + soundfont;
  XXH3_128bits_update(state.get(), rest.data(), rest.size());
  const XXH128_hash_t hash = XXH3_128bits_digest(state.get());
  return fmt::format("{}-{:016x}{:016x}", measuring, hash.high64, hash.low64);
}

double written(Decibels level) { return level == silence ? -1e9 : level.value; }
Decibels read(double level) { return level <= -1e9 ? silence : Decibels{level}; }

std::string line_of(const std::string& key, const ClipFacts& f) {
  const Json json = {{"key", key},
                     {"problem", f.problem},
                     {"length", f.length.value},
                     {"loudness", written(f.loudness)},
                     {"peak", written(f.true_peak)},
                     {"silence", f.leading_silence.value},
                     {"offset", f.offset},
                     {"clipped", f.clipped},
                     {"brightness", f.brightness.value},
                     {"seam", f.seam},
                     {"near", f.steepest_near_seam},
                     {"placeholder", f.marked_placeholder}};
  return json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace

FactsCache::FactsCache() : path_((fs::path(cache_folder()) / "clips.jsonl").string()) {
  std::error_code error;
  if (fs::file_size(path_, error) > largest_cache && !error) fs::remove(path_, error);
  std::ifstream in(path_, std::ios::binary);
  for (std::string line; std::getline(in, line);) {
    const Json json = Json::parse(line, nullptr, false);
    try {
      ClipFacts f;
      f.problem = json.at("problem");
      f.length = {json.at("length")};
      f.loudness = read(json.at("loudness"));
      f.true_peak = read(json.at("peak"));
      f.leading_silence = {json.at("silence")};
      f.offset = json.at("offset");
      f.clipped = json.at("clipped");
      f.brightness = {json.at("brightness")};
      f.seam = json.at("seam");
      f.steepest_near_seam = json.at("near");
      f.marked_placeholder = json.at("placeholder");
      known_[json.at("key")] = std::move(f);
    } catch (const Json::exception&) {
      continue;  // a line that was cut off: its clip is measured again
    }
  }
}

ClipFacts FactsCache::get(const std::string& file, const std::string& soundfont, const std::function<ClipFacts()>& measure) {
  const std::string key = key_of(file, soundfont);
  {
    const std::lock_guard lock(mutex_);
    if (const auto found = known_.find(key); !key.empty() && found != known_.end()) return found->second;
  }
  ClipFacts facts = measure();
  if (key.empty()) return facts;
  const std::lock_guard lock(mutex_);
  if (known_.emplace(key, facts).second) added_ += line_of(key, facts);
  return facts;
}

void FactsCache::save() {
  if (added_.empty()) return;
  std::error_code ignored;
  fs::create_directories(fs::path(path_).parent_path(), ignored);
  // Whole lines at the end: two programs that write at once do not harm each other.
  std::ofstream(path_, std::ios::binary | std::ios::app) << added_ << std::flush;
  added_.clear();
}

}  // namespace tidewater
