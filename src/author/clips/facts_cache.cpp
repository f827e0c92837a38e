#include "author/clips/facts_cache.hpp"

#include "author/clips/cache_lines.hpp"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

namespace tidewater {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

/// Part of every key: facts of another way of measuring are not found.
constexpr int measuring = 3;
constexpr std::uintmax_t largest_cache = 64U << 20U;

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
                     {"frames", f.shape.frames},
                     {"rate", f.shape.rate.value},
                     {"loop", f.shape.loop ? Json{f.shape.loop->low.value, f.shape.loop->high.value} : Json()},
                     {"ends", f.ends},
                     {"stereo", f.stereo},
                     {"mono", f.really_mono},
                     {"seam", f.seam},
                     {"near", f.steepest_near_seam},
                     {"placeholder", f.marked_placeholder}};
  return cache_line(json);
}

}  // namespace

FactsCache::FactsCache() : path_((fs::path(cache_folder()) / "clips.jsonl").string()) {
  read_cache_lines(path_, largest_cache, [this](const Json& json) {
    ClipFacts f;
    f.problem = json.at("problem");
    f.length = {json.at("length")};
    f.loudness = read(json.at("loudness"));
    f.true_peak = read(json.at("peak"));
    f.leading_silence = {json.at("silence")};
    f.offset = json.at("offset");
    f.clipped = json.at("clipped");
    f.brightness = {json.at("brightness")};
    f.shape.frames = json.at("frames");
    f.shape.rate = {json.at("rate")};
    if (const Json& loop = json.at("loop"); loop.is_array()) f.shape.loop = {{loop.at(0)}, {loop.at(1)}};
    f.ends = json.at("ends");
    f.stereo = json.at("stereo");
    f.really_mono = json.at("mono");
    f.seam = json.at("seam");
    f.steepest_near_seam = json.at("near");
    f.marked_placeholder = json.at("placeholder");
    known_[json.at("key")] = std::move(f);
  });
}

ClipFacts FactsCache::get(const std::string& file, const std::string& soundfont, const std::function<ClipFacts()>& measure) {
  std::string key = keys_.of(file);
  if (!key.empty()) key = fmt::format("{}-{}-{}-{}", measuring, key, fs::path(file).extension().string(), soundfont);
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
  keys_.save();
  append_to_cache(path_, added_);
}

}  // namespace tidewater
