#pragma once
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/nearest.hpp"
#include "tidewater/error.hpp"
#include "tidewater/request.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

using Json = nlohmann::json;
using KnownKeys = std::vector<std::string_view>;

inline constexpr double longest_hours = 1000;  ///< of a journal

/// One line; every member reports what is wrong with it by throwing Error, without place.
class Line {
 public:
  explicit Line(const Json& json, Hertz rate) : json_(json), rate_(rate) {}

  std::string text(const char* key) const {
    std::string text = any_text(key);
    if (text.empty()) throw Error(fmt::format("needs \"{}\" with text", key));
    return text;
  }

  /// A game may give any name, also none.
  std::string any_text(const char* key) const {
    const auto it = json_.find(key);
    if (it == json_.end() || !it->is_string()) throw Error(fmt::format("needs \"{}\" with text", key));
    return it->get<std::string>();
  }

  std::uint64_t count(const char* key, std::uint64_t least, std::uint64_t standard) const {
    const auto it = json_.find(key);
    if (it == json_.end()) return standard;
    if (!it->is_number_unsigned() || it->get<std::uint64_t>() < least)
      throw Error(fmt::format("\"{}\" must be a whole number from {} on", key, least));
    return it->get<std::uint64_t>();
  }

  bool has(const char* key) const { return json_.contains(key); }

  bool is(const char* key, const char* text) const { return has(key) && json_[key] == text; }

  void check_keys(std::string_view what, const KnownKeys& known) const {
    for (const auto& [key, value] : json_.items())
      if (std::find(known.begin(), known.end(), key) == known.end()) {
        const std::string advice = did_you_mean(key, known);
        throw Error(fmt::format("{} has no key \"{}\"{}", what, key,
                                advice.empty() ? fmt::format("; known are {}", fmt::join(known, ", ")) : advice));
      }
  }

  template <class T>
  T quantity(const char* key, Read<T> (*read)(std::string_view), T standard) const {
    if (!has(key)) return standard;
    if (json_[key].is_number()) throw Error(fmt::format("\"{}\" needs quotes and a unit: {}", key, read(json_[key].dump()).problem));
    auto result = read(text(key));
    if (!result.value) throw Error(fmt::format("\"{}\": {}", key, result.problem));
    return *result.value;
  }

  /// A value of an enumeration, by its words.
  template <class T, std::size_t count>
  T one_of(const char* key, const std::array<std::string_view, count>& words, T standard) const {
    if (!has(key)) return standard;
    const std::string given = text(key);
    const auto found = std::find(words.begin(), words.end(), given);
    if (found == words.end()) throw Error(fmt::format("\"{}\" is one of {}, not '{}'", key, fmt::join(words, ", "), given));
    return static_cast<T>(found - words.begin());
  }

  /// 64 bits in hexadecimal.
  std::uint64_t hex(const char* key) const {
    const std::string written = text(key);
    std::uint64_t value = 0;
    const char* end = written.data() + written.size();
    const auto read = std::from_chars(written.data(), end, value, 16);
    if (read.ec != std::errc() || read.ptr != end) throw Error(fmt::format("\"{}\" is a hexadecimal number of 64 bits", key));
    return value;
  }

  bool truth(const char* key) const {
    const auto it = json_.find(key);
    if (it == json_.end() || !it->is_boolean()) throw Error(fmt::format("needs \"{}\", true or false", key));
    return it->get<bool>();
  }

  double number(const char* key, double low, double high, double standard) const {
    const auto it = json_.find(key);
    if (it == json_.end()) return standard;
    const double value = it->is_number() ? it->get<double>() : std::numeric_limits<double>::quiet_NaN();
    if (!(value >= low && value <= high)) throw Error(fmt::format("\"{}\" must be a number from {} to {}", key, low, high));
    return value;
  }

  /// Coordinates.
  std::array<double, 3> three(const char* key) const {
    const auto it = json_.find(key);
    std::array<double, 3> numbers{};
    const bool three = it != json_.end() && it->is_array() && it->size() == numbers.size();
    for (std::size_t i = 0; three && i < numbers.size(); ++i)
      if ((*it)[i].is_number()) numbers[i] = (*it)[i].get<double>();
    if (!three || std::any_of(it->begin(), it->end(), [](const Json& number) { return !number.is_number(); }))
      throw Error(fmt::format("\"{}\" must be three numbers, such as [12, 0, -3.5]", key));
    return numbers;
  }

  Frames at() const {
    const auto it = json_.find("at");
    if (it == json_.end()) throw Error("needs \"at\": frames as a number, or a time as \"1.5 s\"");
    if (it->is_string()) return frames(quantity("at", read_seconds, Seconds{}), rate_);
    if (it->is_number_float() && it->get<double>() != std::floor(it->get<double>()))
      throw Error(fmt::format("\"at\" is a whole number of frames, or a time in quotes with its unit: \"{} s\"", it->dump()));
    const double latest = longest_hours * 3600 * rate_.value;
    return {static_cast<std::int64_t>(number("at", 0, latest, 0))};
  }

  /// Frames on the clock, not before `least`, which is also what holds without the key.
  Frames frames_from(const char* key, Frames least) const {
    return {static_cast<std::int64_t>(
        number(key, static_cast<double>(least.value), longest_hours * 3600 * rate_.value, static_cast<double>(least.value)))};
  }

  std::vector<std::pair<std::string, std::string>> traits(const char* key) const {
    std::vector<std::pair<std::string, std::string>> list;
    const auto it = json_.find(key);
    if (it == json_.end()) return list;
    const std::string problem = fmt::format("\"{}\" must be an object of texts, such as {{\"surface\": \"planks\"}}", key);
    if (!it->is_object()) throw Error(problem);
    for (const auto& [name, value] : it->items()) {
      if (!value.is_string()) throw Error(problem);
      list.emplace_back(name, value.get<std::string>());
    }
    return list;
  }

  std::vector<std::pair<std::string, double>> numbers(const char* key) const {
    std::vector<std::pair<std::string, double>> list;
    const auto it = json_.find(key);
    if (it == json_.end()) return list;
    const std::string problem = fmt::format("\"{}\" must be an object of numbers, such as {{\"throttle\": 0.5}}", key);
    if (!it->is_object()) throw Error(problem);
    for (const auto& [name, value] : it->items()) {
      if (!value.is_number()) throw Error(problem);
      list.emplace_back(name, value.get<double>());
    }
    return list;
  }

  PlaybackId playback(const char* key) const {
    const std::string written = text(key);
    PlaybackId id;
    const char* at = written.data();
    const char* const end = at + written.size();
    const auto number = [&](auto& into) {
      const auto read = std::from_chars(at, end, into);
      at = read.ptr;
      return read.ec == std::errc();
    };
    const auto dot = [&] { return at != end && *at++ == '.'; };
    if (number(id.raise) && dot() && number(id.response) && (at == end || (dot() && number(id.beat) && id.beat > 0 && at == end)))
      return id;
    throw Error(fmt::format("\"{}\" names no playback; \"2.1\" is the first response of the second raise", written));
  }

 private:
  const Json& json_;
  Hertz rate_;
};

}  // namespace tidewater
