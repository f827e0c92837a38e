#include "author/clips/ways.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <optional>

#include "author/book/group_settings.hpp"
#include "author/clips/book_clips.hpp"
#include "base/nearest.hpp"
#include "base/random.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// What the nearest group says that says anything, or else the target.
template <class Value>
std::optional<Value> nearest(const Book& book, const BookTarget& target, const BookSound& sound, std::optional<Value> BookWays::*what) {
  const auto says = [&](const BookGroup& group) {
    const auto ways = target.groups.find(group.name);
    return ways != target.groups.end() && (ways->second.*what).has_value();
  };
  const BookGroup* group = nearest_group(book, sound, says);
  return group == nullptr ? target.*what : target.groups.at(group->name).*what;
}

}  // namespace

ClipWays ways_for(const Book& book, const BookTarget* target, const BookSound& sound) {
  ClipWays ways;
  if (target == nullptr) return ways;
  ways.samples = nearest(book, *target, sound, &BookWays::samples).value_or(ways.samples);
  ways.mono = nearest(book, *target, sound, &BookWays::mono).value_or(ways.mono);
  ways.stream_from = nearest(book, *target, sound, &BookWays::stream_from).value_or(ways.stream_from);
  ways.codec = nearest(book, *target, sound, &BookWays::codec).value_or(ways.codec);
  ways.quality = nearest(book, *target, sound, &BookWays::quality).value_or(ways.quality);
  return ways;
}

std::string to_text(const ClipWays& ways) {
  return fmt::format("{} {} {} {} {}", static_cast<int>(ways.samples), ways.mono, ways.stream_from.value, static_cast<int>(ways.codec),
                     ways.quality);
}

const BookTarget* target_called(const Book& book, const std::string& name) {
  if (name.empty()) return nullptr;
  std::vector<std::string_view> names;
  for (const BookTarget& target : book.targets) {
    if (target.name == name) return &target;
    names.emplace_back(target.name);
  }
  const std::string near = did_you_mean(name, names);
  throw Error(fmt::format("{}: there is no target '{}'{}", book.file, name,
                          names.empty()  ? fmt::format("; add [targets.{}]", name)
                          : near.empty() ? fmt::format("; there is {}", fmt::join(names, ", "))
                                         : near));
}

bool is_spoken(const Book& book, const std::string& clip) {
  return !book.languages.empty() && clip.starts_with(book.speech + "/" + book.languages.front() + "/");
}

std::string said_first_as(const Book& book, const std::string& file) {
  for (std::size_t l = 1; l < book.languages.size(); ++l) {
    const std::string folder = book.speech + "/" + book.languages[l] + "/";
    if (file.starts_with(folder)) return book.speech + "/" + book.languages.front() + "/" + file.substr(folder.size());
  }
  return {};
}

std::string clip_in(const Book& book, const std::string& clip, const std::string& language) {
  if (language.empty() || !is_spoken(book, clip)) return clip;
  const std::string rest = clip.substr(book.speech.size() + book.languages.front().size() + 2);
  std::string its = book.speech + "/" + language + "/" + rest;
  return std::filesystem::exists(clip_file(book, its)) ? its : clip;
}

Audio to_mono(const Audio& audio) {
  if (audio.channels != 2) return audio;
  Audio mono = audio;
  mono.channels = 1;
  mono.samples.clear();
  mono.sixteen_bits = false;
  double power = 0, both = 0;
  for (std::size_t i = 0; i + 1 < audio.samples.size(); i += 2) {
    const auto left = static_cast<double>(audio.samples[i]), right = static_cast<double>(audio.samples[i + 1]);
    power += left * left + right * right;
    both += 2 * left * right;
  }
  // Of channels that cancel each other, no more than four times what is left.
  const double factor = power <= 0 ? 1 : 1 / std::sqrt(std::max(1.0 / 16, 1 + both / power));
  for (std::size_t i = 0; i + 1 < audio.samples.size(); i += 2)
    mono.samples.push_back(
        static_cast<float>((static_cast<double>(audio.samples[i]) + static_cast<double>(audio.samples[i + 1])) * factor));
  return mono;
}

Audio to_sixteen_bits(Audio audio) {
  if (audio.sixteen_bits) return audio;
  constexpr double full = 32768;
  const auto fits = [](float x) { return std::abs(x) <= 1.01F; };  // what a change of rate adds to full scale
  if (!std::all_of(audio.samples.begin(), audio.samples.end(), fits)) return audio;
  Random random(audio.samples.size());
  for (float& x : audio.samples)
    if (x != 0)
      x = static_cast<float>(std::clamp(std::round(static_cast<double>(x) * full + random.unit() - random.unit()), -full, full - 1) / full);
  audio.sixteen_bits = true;
  return audio;
}

}  // namespace tidewater
