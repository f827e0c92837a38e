#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <limits>
#include <nlohmann/json.hpp>
#include <sstream>
#include <unordered_set>

#include "base/shorten.hpp"
#include "journal/head_words.hpp"
#include "play/door.hpp"
#include "tidewater/error.hpp"
#include "tidewater/nearest.hpp"
#include "tidewater/replay.hpp"

namespace tidewater {
namespace {

using Json = nlohmann::json;
using Kind = JournalEntry::Kind;

constexpr std::uintmax_t largest_journal = std::uintmax_t{1} << 30U;
constexpr std::size_t most_problems = 50;
constexpr double longest_hours = 1000;

/// The keys of a request besides "at" and "request".
using Known = std::vector<std::string_view>;

struct RequestName {
  std::string_view name;
  Kind kind;
  Known keys;
};

const std::vector<RequestName>& request_names() {
  static const std::vector<RequestName> names = {
      {"raise", Kind::raise, {"event", "id", "traits", "emitter"}},
      {"stop", Kind::stop, {"playback", "fade"}},
      {"gain", Kind::gain, {"playback", "group", "gain", "time"}},
      {"bend", Kind::bend, {"playback", "pitch", "time"}},
      {"mute", Kind::mute, {"group", "mute"}},
      {"stop-all", Kind::stop_all, {"fade"}},
      {"pan", Kind::pan, {"playback", "pan", "time"}},
      {"low-pass", Kind::low_pass, {"playback", "group", "frequency", "time"}},
      {"high-pass", Kind::high_pass, {"playback", "group", "frequency", "time"}},
      {"load", Kind::load, {"bank"}},
      {"unload", Kind::unload, {"bank"}},
      {"unreadable", Kind::unreadable, {"playback", "why"}},
  };
  return names;
}

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
  void require(const char* key) const {
    if (!has(key)) text(key);
  }

  bool is(const char* key, const char* text) const { return has(key) && json_[key] == text; }

  void check_keys(std::string_view what, const Known& known) const {
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

  std::vector<std::pair<std::string, std::string>> traits() const {
    std::vector<std::pair<std::string, std::string>> list;
    const auto it = json_.find("traits");
    if (it == json_.end()) return list;
    const std::string problem = "\"traits\" must be an object of texts, such as {\"surface\": \"planks\"}";
    if (!it->is_object()) throw Error(problem);
    for (const auto& [name, value] : it->items()) {
      if (!value.is_string()) throw Error(problem);
      list.emplace_back(name, value.get<std::string>());
    }
    return list;
  }

  PlaybackId playback() const {
    const std::string written = text("playback");
    PlaybackId id;
    const char* end = written.data() + written.size();
    const auto raise = std::from_chars(written.data(), end, id.raise);
    if (raise.ec == std::errc() && raise.ptr != end && *raise.ptr == '.') {
      const auto response = std::from_chars(raise.ptr + 1, end, id.response);
      if (response.ec == std::errc() && response.ptr == end && id.raise > 0 && id.response > 0) return id;
    }
    throw Error(fmt::format("\"{}\" names no playback; \"2.1\" is the first response of the second raise", written));
  }

 private:
  const Json& json_;
  Hertz rate_;
};

/// Numbers of the raises so far: what is stopped or changed came from one of them.
using Raises = std::unordered_set<std::uint64_t>;

void require_raised(PlaybackId id, const Raises& raises) {
  if (raises.contains(id.raise)) return;
  throw Error(raises.empty() ? fmt::format("nothing was raised before this line, so there is no playback {}.{}", id.raise, id.response)
                             : fmt::format("no raise before this line has the number {}, so there is no playback {}.{}; there were {}",
                                           id.raise, id.raise, id.response, raises.size()));
}

JournalEntry request_of(const Line& line, const Raises& raises) {
  JournalEntry entry;
  entry.at = line.at();
  const std::string name = line.text("request");
  const auto known = std::find_if(request_names().begin(), request_names().end(), [&](const RequestName& r) { return r.name == name; });
  if (known == request_names().end()) {
    Known names;
    for (const auto& r : request_names()) names.push_back(r.name);
    throw Error(fmt::format("there is no request '{}'{}", name, did_you_mean(name, names)));
  }
  entry.kind = known->kind;
  Known keys = known->keys;
  keys.insert(keys.begin(), {"at", "request"});
  for (const std::string_view key : {"lands", "into"})  // which nobody writes by hand
    if (line.has(key.data())) keys.push_back(key);
  entry.lands = line.frames_from("lands", entry.at);
  if (line.has("into")) entry.into = line.frames_from("into", {});
  line.check_keys(fmt::format("a request '{}'", name), keys);
  constexpr Seconds smooth{0.02};
  switch (known->kind) {
    case Kind::raise:
      entry.event = line.any_text("event");
      entry.traits = line.traits();
      entry.emitter = line.count("emitter", 0, 0);
      entry.raise = line.count("id", 1, raises.size() + 1);
      break;
    case Kind::load:
    case Kind::unload: entry.bank = line.text("bank"); break;
    case Kind::stop: entry.playback = line.playback(); break;
    case Kind::unreadable:
      entry.playback = line.playback();
      entry.why = line.any_text("why");
      break;
    case Kind::bend:
      entry.playback = line.playback();
      line.require("pitch");
      entry.pitch = line.quantity("pitch", read_semitones, Semitones{});
      break;
    case Kind::gain:
      if (line.has("group"))
        entry.group = line.any_text("group");
      else
        entry.playback = line.playback();
      line.require("gain");
      entry.gain = line.quantity("gain", read_decibels, Decibels{});
      break;
    case Kind::pan:
      entry.playback = line.playback();
      line.require("pan");
      entry.pan = line.quantity("pan", read_pan, Pan{});
      break;
    case Kind::low_pass:
    case Kind::high_pass:
      if (line.has("group"))
        entry.group = line.any_text("group");
      else
        entry.playback = line.playback();
      line.require("frequency");
      if (!line.is("frequency", "none")) entry.frequency = line.quantity("frequency", read_hertz, Hertz{});
      break;
    case Kind::mute:
      entry.group = line.any_text("group");
      entry.on = line.truth("mute");
      break;
    default: break;
  }
  const bool smoothed = known->kind == Kind::gain || known->kind == Kind::bend || known->kind == Kind::pan ||
                        known->kind == Kind::low_pass || known->kind == Kind::high_pass;
  if (entry.playback != PlaybackId{}) require_raised(entry.playback, raises);
  entry.fade = smoothed ? line.quantity("time", read_seconds, smooth) : line.quantity("fade", read_seconds, Seconds{});
  return entry;
}

void take_line(const Json& json, std::size_t number, JournalScript& script, Raises& raises) {
  const Line line(json, script.rate);
  if (line.has("journal")) {
    script.recorded = true;
    script.rate = {line.number("rate", allowed_rates.low.value, allowed_rates.high.value, script.rate.value)};
    script.seed = json.contains("seed") && json["seed"].is_number_unsigned() ? json["seed"].get<std::uint64_t>() : script.seed;
    script.voices = static_cast<std::uint32_t>(line.number("voices", 1, 4096, script.voices));
    script.quality = line.one_of("quality", quality_words, script.quality);
    script.layout = line.one_of("layout", layout_words, script.layout);
    if (line.has("limiter")) script.limiter = line.truth("limiter");
  } else if (line.has("updates")) {
    const Frames first = line.at();
    const Frames every{static_cast<std::int64_t>(line.number("every", 1, 1e9, 1))};
    const auto times = static_cast<std::uint64_t>(line.number("updates", 1, 1e9, 1));
    const double last = static_cast<double>(first.value) + static_cast<double>(every.value) * static_cast<double>(times - 1);
    if (last > longest_hours * 3600 * script.rate.value)
      throw Error(fmt::format("the updates go on for longer than {} hours", longest_hours));
    if (!script.updates.empty()) {
      const UpdateRun& before = script.updates.back();
      if (first.value <= before.first.value + before.every.value * static_cast<std::int64_t>(before.times - 1))
        throw Error("the updates begin before those of the line before have ended");
    }
    const auto after = static_cast<std::uint32_t>(line.is("after", "all") ? UpdateRun::all : line.number("after", 0, 1e9, 0));
    script.updates.push_back({first, every, times, after, line.frames_from("lands", first) - first});
  } else if (line.has("late")) {
    script.late.push_back({line.count("late", 1, 1), line.frames_from("landed", {})});
  } else if (line.has("end")) {
    script.end = line.at();
  } else if (line.has("request")) {
    JournalEntry entry;
    try {
      entry = request_of(line, raises);
    } catch (const Error&) {
      // What is wrong in a raise is told here, and not again wherever its sounds are stopped.
      if (json["request"] == "raise") raises.insert(raises.size() + 1);
      throw;
    }
    if (!script.requests.empty() && entry.at < script.requests.back().at)
      throw Error(fmt::format("frame {} comes after frame {} of the request before; put requests in order of time", entry.at.value,
                              script.requests.back().at.value));
    if (entry.kind == Kind::raise) raises.insert(entry.raise);
    script.requests.push_back(std::move(entry));
    script.lines.push_back(number);
  } else if (line.is("stream", "late")) {
    ++script.late_streams;
  } else if (!line.has("outcome") && !line.has("layer") && !line.has("fading") && !line.has("woke") && !line.has("ended") &&
             !line.has("notice")) {
    throw Error(
        "is neither a request nor anything that a journal records; a request is {\"at\": \"1 s\", \"request\": \"raise\", \"event\": "
        "\"a.name\"}");
  }
}

}  // namespace

bool JournalScript::loads_a_bank() const {
  return std::any_of(requests.begin(), requests.end(), [](const JournalEntry& r) { return r.kind == Kind::load; });
}

JournalScript parse_journal(std::string_view text, const std::string& path) {
  JournalScript script;
  script.file = path;
  const std::string_view whole = text;
  std::string problems;
  std::size_t count = 0;
  std::size_t number = 0;
  Raises raises;
  while (!text.empty() && count < most_problems) {
    const auto end = std::min(text.find('\n'), text.size());
    const auto line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    ++number;
    if (line.find_first_not_of(" \t\r") == std::string_view::npos) continue;
    try {
      const Json json = Json::parse(line, nullptr, false);
      const bool unfinished = end == line.size() && text.empty() && whole.back() != '\n';
      if (!json.is_object() && unfinished && script.recorded) {
        script.breaks_off = number;
        break;
      }
      if (!json.is_object())
        throw Error("is not a JSON object; every line is one, such as {\"at\": 0, \"request\": \"raise\", \"event\": \"a.name\"}");
      take_line(json, number, script, raises);
    } catch (const Error& error) {
      ++count;
      problems += fmt::format("{}{}:{}: {}", problems.empty() ? "" : "\n", path, number, shortened(std::string_view(error.what())));
    }
  }
  if (count == 0 && script.requests.empty() && !script.end)
    problems = fmt::format(
        "{}: the journal holds no requests; write lines such as {{\"at\": \"1 s\", \"request\": \"raise\", \"event\": \"a.name\"}}", path);
  if (!problems.empty()) throw Error(problems);
  return script;
}

JournalScript read_journal(const std::string& path) {
  std::error_code error;
  if (!std::filesystem::is_regular_file(path, error)) throw Error(fmt::format("{}: there is no such file", path));
  if (std::filesystem::file_size(path, error) > largest_journal)
    throw Error(fmt::format("{}: is larger than 1 GiB; cut it into parts", path));
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (!in) throw Error(fmt::format("{}: cannot be read; may you read it?", path));
  return parse_journal(text.str(), path);
}

}  // namespace tidewater
