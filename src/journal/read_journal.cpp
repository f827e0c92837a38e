#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <optional>
#include <sstream>
#include <type_traits>
#include <unordered_set>

#include "base/nearest.hpp"
#include "base/rates.hpp"
#include "base/shorten.hpp"
#include "base/text_file.hpp"
#include "journal/kept_file.hpp"
#include "journal/line.hpp"
#include "play/options.hpp"
#include "request/described.hpp"
#include "request/texts.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

namespace tidewater {
namespace {

constexpr std::uintmax_t largest_journal = std::uintmax_t{1} << 30U;
constexpr std::size_t most_problems = 50;

/// The keys that a kind of request has.
template <class R>
KnownKeys keys_of(const R& request) {
  KnownKeys keys;
  each_field(request, [&](const auto& field, const auto& value) {
    if constexpr (std::is_same_v<decltype(value), const Target&>)
      keys.insert(keys.end(), {"playback", "group"});
    else
      keys.push_back(field.key);
  });
  return keys;
}

/// Reads what a request carries, each key by the type of the member that it fills.
class Values {
 public:
  Values(const Line& line, Texts& texts) : line_(line), texts_(texts) {}

  void read(const char* key, bool& value) const { value = line_.truth(key); }
  void read(const char* key, std::uint64_t& value) const { value = line_.count(key, 0, value); }
  void read(const char* key, double& value) const { value = line_.number(key, -most_of_a_gauge, most_of_a_gauge, value); }
  void read(const char* key, std::string_view& value) const { value = texts_.keep(line_.any_text(key)); }
  void read(const char* key, Name& value) const { value = Name(texts_.keep(line_.any_text(key))); }
  void read(const char* key, Preload& value) const { value = line_.one_of(key, preload_words, value); }
  void read(const char* key, Emitter& value) const { value.number = line_.count(key, 0, 0); }
  void read(const char* key, Place& value) const {
    const auto its = line_.three(key);
    value = {its[0], its[1], its[2]};
  }
  void read(const char* key, std::optional<Place>& value) const {
    if (line_.has(key)) read(key, value.emplace());
  }
  void read(const char* key, std::optional<On>& value) const {
    if (line_.has(key)) value = line_.one_of(key, on_words, On::now);
  }
  void read(const char* key, std::optional<Seconds>& value) const {
    if (line_.has(key)) read(key, value.emplace());
  }
  void read(const char* key, Vector& value) const {
    const auto its = line_.three(key);
    value = {static_cast<float>(its[0]), static_cast<float>(its[1]), static_cast<float>(its[2])};
  }
  void read(const char* key, WhatPlays& value) const { value = line_.one_of(key, what_plays_words, value); }
  void read(const char* key, ContentHash& value) const { value = {line_.hex(key)}; }
  void read(const char* key, PlaybackId& value) const { value = line_.playback(key); }
  void read(const char* key, Decibels& value) const { value = line_.quantity(key, read_decibels, value); }
  void read(const char* key, Semitones& value) const { value = line_.quantity(key, read_semitones, value); }
  void read(const char* key, Pan& value) const { value = line_.quantity(key, read_pan, value); }
  void read(const char* key, Share& value) const { value = line_.number(key, 0, 1, value.value); }
  void read(const char* key, TimeScale& value) const { value = line_.number(key, 0, 4, value.value); }
  void read(const char* key, Seconds& value) const { value = line_.quantity(key, read_seconds, value); }
  void read(const char* key, Hertz& value) const {
    if (!line_.is(key, "none")) value = line_.quantity(key, read_hertz, value);
  }
  void read(const char*, Target& value) const {
    if (line_.has("group"))
      read("group", value.emplace<Name>(""));
    else
      read("playback", value.emplace<PlaybackId>());
  }
  void read(const char* key, std::span<const Trait>& value) const {
    const auto given = line_.traits(key);
    std::vector<Trait> traits;
    for (const auto& [name, its] : given) traits.push_back({Name(name), Name(its)});
    value = texts_.keep(std::span<const Trait>(traits));
  }
  void read(const char* key, std::span<const GaugeValue>& value) const {
    const auto given = line_.numbers(key);
    std::vector<GaugeValue> gauges;
    for (const auto& [name, its] : given) gauges.push_back({Name(name), its});
    value = texts_.keep(std::span<const GaugeValue>(gauges));
  }

 private:
  static constexpr double most_of_a_gauge = 1e9;

  const Line& line_;
  Texts& texts_;
};

/// Numbers of the raises so far: what is stopped or changed came from one of them.
using Raises = std::unordered_set<std::uint64_t>;

/// Only for a journal written by hand. A game may ask for things that do not exist; its recording is replayed unchanged.
void require_raised(PlaybackId id, const Raises& raises) {
  if (raises.contains(id.raise) && id.response > 0) return;
  if (id.response == 0)
    throw Error(fmt::format("there is no playback {}.0: the first response of raise {} is {}.1", id.raise, id.raise, id.raise));
  throw Error(raises.empty() ? fmt::format("nothing was raised before this line, so there is no playback {}.{}", id.raise, id.response)
                             : fmt::format("no raise before this line has the number {}, so there is no playback {}.{}; there were {}",
                                           id.raise, id.raise, id.response, raises.size()));
}

/// One that is somewhere is one that a manager may have made.
void require_emitter(Emitter emitter) {
  if ((emitter.number & 0xffffffff) > most_emitters)
    throw Error(fmt::format("there is no emitter {}: of its number the lower 32 bits are from 1 to {}", emitter.number, most_emitters));
}

/// The kind of request that has this name, with nothing in it yet.
Request kind_called(const std::string& name) {
  std::optional<Request> found;
  KnownKeys names;
  each_kind([&](const auto& kind) {
    names.push_back(name_of(kind));
    if (names.back() == name) found = kind;
  });
  if (found) return *found;
  if (name == "update")
    throw Error(
        "updates are no requests: without a line about them there are 60 a second, and {\"at\": 0, \"updates\": 300, \"every\": 800} "
        "makes 300 of them, 800 frames apart");
  const std::string near = did_you_mean(name, names);
  throw Error(
      fmt::format("there is no request '{}'{}", name, near.empty() ? fmt::format("; those there are: {}", fmt::join(names, ", ")) : near));
}

noted::Asked asked_in(const Line& line, const std::shared_ptr<Texts>& texts, const Raises& raises, bool recorded) {
  const std::string name = line.text("request");
  Request request = kind_called(name);
  KnownKeys keys = keys_of(request);
  keys.insert(keys.begin(), {"at", "request"});
  for (const std::string_view key : {"lands", "into", "meanwhile"})  // which nobody writes by hand
    if (line.has(key.data())) keys.push_back(key);
  line.check_keys(fmt::format("a request '{}'", name), keys);

  const Values values(line, *texts);
  each_field(request, [&](const auto& field, auto& value) {
    using Value = std::remove_cvref_t<decltype(value)>;
    if (field.use != Use::needed && !line.has(field.key)) return;
    if (field.use == Use::needed && !std::is_same_v<Value, Target> && !line.has(field.key))
      throw Error(fmt::format("needs \"{}\"{}", field.key, std::is_same_v<Value, bool> ? ", true or false" : " with text"));
    values.read(field.key, value);
  });
  if (const PlaybackId* named = playback_in(request); named != nullptr && !recorded) require_raised(*named, raises);
  if (auto* raise = std::get_if<asked::Raise>(&request)) {
    raise->id = line.count("id", 1, raises.size() + 1);
    if (raise->place) require_emitter(raise->emitter);
  }
  const Frames at = line.at();
  return {line.frames_from("lands", at), line.has("into") ? line.frames_from("into", {}) : Frames{},
          line.has("meanwhile") && line.truth("meanwhile"), request, texts};
}

struct Reading {
  JournalScript script;
  Raises raises;
  std::shared_ptr<Texts> texts = std::make_shared<Texts>();
};

void take_head(const Line& line, JournalScript& script) {
  script.has_head = true;
  noted::Head& head = script.head;
  head.rate = {line.number("rate", allowed_rates.low.value, allowed_rates.high.value, head.rate.value)};
  head.seed = line.count("seed", 0, head.seed);
  head.voices = static_cast<std::uint32_t>(line.number("voices", 1, most_voices, head.voices));
  head.quality = line.one_of("quality", quality_words, head.quality);
  head.layout = line.one_of("layout", layout_words, head.layout);
  if (line.has("limiter")) head.limiter = line.truth("limiter");
  head.playbacks = static_cast<std::uint32_t>(line.number("playbacks", 1, most_playbacks, head.playbacks));
  head.emitters = static_cast<std::uint32_t>(line.number("emitters", 0, most_emitters, head.emitters));
  head.recorded = line.has("recorded") && line.truth("recorded");
  if (line.has("machine")) head.machine = line.any_text("machine");
}

void take_updates(const Line& line, JournalScript& script) {
  const Frames first = line.at();
  const Frames every{static_cast<std::int64_t>(line.number("every", 1, 1e9, 1))};
  const auto times = static_cast<std::uint64_t>(line.number("updates", 1, 1e9, 1));
  const double last = static_cast<double>(first.value) + static_cast<double>(every.value) * static_cast<double>(times - 1);
  if (last > longest_hours * 3600 * script.head.rate.value)
    throw Error(fmt::format("the updates go on for longer than {} hours", longest_hours));
  if (!script.updates.empty()) {
    const noted::Updates& before = script.updates.back();
    if (first.value <= before.first.value + before.every.value * static_cast<std::int64_t>(before.times - 1))
      throw Error("the updates begin before those of the line before have ended");
  }
  const auto after = static_cast<std::uint32_t>(line.is("after", "all") ? noted::Updates::all : line.number("after", 0, 1e9, 0));
  script.updates.push_back({first, every, times, after, line.frames_from("lands", first) - first});
}

void take_request(const Line& line, bool raises, std::size_t number, Reading& reading) {
  ScriptedRequest request{.at = {}, .asked = {}, .line = number};
  try {
    request.at = line.at();
    request.asked = asked_in(line, reading.texts, reading.raises, reading.script.head.recorded);
  } catch (const Error&) {
    // What is wrong in a raise is told here, and not again wherever its sounds are stopped.
    if (raises) reading.raises.insert(reading.raises.size() + 1);
    throw;
  }
  auto& requests = reading.script.requests;
  if (!requests.empty() && request.at < requests.back().at)
    throw Error(fmt::format("frame {} comes after frame {} of the request before; put requests in order of time", request.at.value,
                            requests.back().at.value));
  if (const auto* raise = std::get_if<asked::Raise>(&request.asked.request)) reading.raises.insert(raise->id);
  requests.push_back(std::move(request));
}

void take_kept(const Line& line, const Json& json, JournalScript& script) {
  ScriptedKept its{line.at(), {line.count("update", 0, 0), {}, {}}};
  const Json& list = json["kept"];
  if (!list.is_array()) throw Error("\"kept\" is a list, such as [{\"emitter\": 7, \"place\": [12, 0, -3.5]}]");
  for (const Json& one : list) {
    const Line emitter(one, script.head.rate);
    emitter.check_keys("an emitter", {"emitter", "gone", "place", "velocity", "facing"});
    noted::KeptEmitter& kept = its.kept.emitters.emplace_back();
    kept.emitter.number = emitter.count("emitter", 1, 0);
    if (kept.emitter.number == 0) throw Error("an emitter needs its number: \"emitter\": 7");
    require_emitter(kept.emitter);
    kept.gone = emitter.has("gone") && emitter.truth("gone");
    Texts nothing;
    const Values values(emitter, nothing);
    if (!kept.gone) values.read("place", kept.place);
    if (emitter.has("velocity")) values.read("velocity", kept.velocity);
    if (emitter.has("facing")) values.read("facing", kept.facing);
  }
  if (json.contains("gauges")) {
    if (!json["gauges"].is_array())
      throw Error("\"gauges\" is a list, such as [{\"emitter\": 7, \"gauge\": \"throttle\", \"value\": 0.5}]");
    for (const Json& one : json["gauges"]) {
      const Line gauge(one, script.head.rate);
      gauge.check_keys("a gauge of an emitter", {"emitter", "gauge", "value"});
      const std::uint64_t number = gauge.count("emitter", 1, 0);
      if (number == 0 || !gauge.has("value")) throw Error("a gauge of an emitter needs \"emitter\": 7 and \"value\": 0.5");
      require_emitter({number});
      its.kept.gauges.push_back({{number}, gauge.text("gauge"), gauge.number("value", -1e9, 1e9, 0)});
    }
  }
  script.kept.push_back(std::move(its));
}

std::string whole_text_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (!in) throw Error(fmt::format("{}: cannot be read; may you read it?", path));
  return text.str();
}

/// What lies beside a journal.
void take_world(const Line& line, JournalScript& script) {
  const std::string name = line.text("world");
  const auto beside = std::filesystem::path(script.file).parent_path() / name;
  std::error_code error;
  if (name != std::filesystem::path(name).filename().string())
    throw Error(fmt::format("\"world\" names a file beside the journal, not '{}'", name));
  if (!std::filesystem::is_regular_file(beside, error))
    throw Error(fmt::format("'{}' with the places of its emitters does not lie beside it; copy it, too", name));
  if (std::filesystem::file_size(beside, error) > largest_journal) throw Error(fmt::format("'{}' is larger than 1 GiB", name));
  for (noted::Kept& kept : read_kept(whole_text_of(beside.string()), beside.string())) script.kept.push_back({{}, std::move(kept)});
}

void take_line(const Json& json, std::size_t number, Reading& reading) {
  JournalScript& script = reading.script;
  const Line line(json, script.head.rate);
  const auto has_any = [&](std::initializer_list<const char*> keys) {
    return std::any_of(keys.begin(), keys.end(), [&](const char* key) { return line.has(key); });
  };
  if (line.has("journal"))
    take_head(line, script);
  else if (line.has("updates"))
    take_updates(line, script);
  else if (line.has("late"))
    script.late.push_back({line.count("late", 1, 1), line.frames_from("landed", {})});
  else if (line.has("second"))
    script.sums.push_back({static_cast<std::int64_t>(line.number("second", 0, longest_hours * 3600, 0)), line.hex("choose"),
                           line.hex("voices"), line.hex("play")});
  else if (line.has("end"))
    script.end = line.at();
  else if (line.has("kept"))
    take_kept(line, json, script);
  else if (line.has("world"))
    take_world(line, script);
  else if (line.has("request"))
    take_request(line, line.is("request", "raise"), number, reading);
  else if (line.is("stream", "late"))
    ++script.late_streams;
  else if (line.has("outcome") && line.has("playback") && line.has("clip"))
    script.sounds[line.playback("playback")] = line.text("sound");
  else if (!has_any({"outcome", "layer", "due", "fading", "woke", "ended", "notice"}))
    throw Error(
        "is neither a request nor anything that a journal records; a request is {\"at\": \"1 s\", \"request\": \"raise\", \"event\": "
        "\"a.name\"}");
}

/// A crash takes the updates since the last that were noted along: until the last request they go on as they did.
void go_on_updating(JournalScript& script) {
  if (script.updates.empty() || script.requests.empty()) return;
  noted::Updates& last = script.updates.back();
  const Frames until = script.requests.back().at;
  if (last.times == 1) {  // it has no pace of its own, but it may go on with the run before
    const noted::Updates before = script.updates.size() > 1 ? script.updates[script.updates.size() - 2] : noted::Updates();
    const Frames next = before.first + Frames{before.every.value * static_cast<std::int64_t>(before.times)};
    last.every = before.times > 1 && last.first == next ? before.every : Frames{};
  }
  while (last.every > Frames{} && last.first + Frames{last.every.value * static_cast<std::int64_t>(last.times)} <= until) ++last.times;
}

}  // namespace

bool JournalScript::loads_a_bank() const {
  return std::any_of(requests.begin(), requests.end(),
                     [](const ScriptedRequest& r) { return std::holds_alternative<asked::Load>(r.asked.request); });
}

JournalScript parse_journal(std::string_view text, const std::string& path) {
  Reading reading;
  JournalScript& script = reading.script;
  script.file = path;
  const std::string_view whole = text;
  std::string problems;
  std::size_t count = 0;
  std::size_t number = 0;
  while (!text.empty() && count < most_problems) {
    const auto end = std::min(text.find('\n'), text.size());
    const auto line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    ++number;
    if (line.find_first_not_of(" \t\r") == std::string_view::npos) continue;
    try {
      const Json json = Json::parse(line, nullptr, false);
      const bool unfinished = end == line.size() && text.empty() && whole.back() != '\n';
      if (!json.is_object() && unfinished && script.has_head) {
        script.breaks_off = number;
        break;
      }
      if (!json.is_object())
        throw Error("is not a JSON object; every line is one, such as {\"at\": 0, \"request\": \"raise\", \"event\": \"a.name\"}");
      take_line(json, number, reading);
    } catch (const Error& error) {
      ++count;
      problems += fmt::format("{}{}:{}: {}", problems.empty() ? "" : "\n", path, number, shortened(std::string_view(error.what())));
    }
  }
  if (count == 0 && script.requests.empty() && !script.end)
    problems = fmt::format(
        "{}: the journal holds no requests; write lines such as {{\"at\": \"1 s\", \"request\": \"raise\", \"event\": \"a.name\"}}", path);
  if (!problems.empty()) throw Error(problems);
  if (script.has_head && !script.end) go_on_updating(script);
  return std::move(reading.script);
}

JournalScript read_journal(const std::string& path) {
  std::error_code error;
  if (const std::string why = why_no_text(path, "a journal"); !why.empty()) throw Error(fmt::format("{}: {}", path, why));
  if (std::filesystem::file_size(path, error) > largest_journal)
    throw Error(fmt::format("{}: is larger than 1 GiB; cut it into parts", path));
  return parse_journal(whole_text_of(path), path);
}

}  // namespace tidewater
