#include "desk/book_json.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "author/book/tables.hpp"
#include "author/folder/clip_folder.hpp"
#include "tidewater/error.hpp"
#include "world/distance.hpp"

namespace tidewater::desk {
namespace {

using json = nlohmann::json;

/// Returns a level as a finite number: JSON has no infinity.
double number(Decibels level) { return level == silence ? -120 : level.value; }
template <class T>
double number(T quantity) {
  return quantity.value;
}

/// A quantity of a sound that the page shows as a range to drag. `most` and `least` bound the scale, not the value.
struct Dial {
  std::string_view key, unit;
  double least, most, step;
  bool logarithmic;  ///< the scale
  bool one;          ///< a single value, no range
};

template <class T>
json dial_json(const Dial& dial, const Range<T>& range) {
  return {{"key", dial.key},     {"unit", dial.unit}, {"low", number(range.low)}, {"high", number(range.high)},
          {"least", dial.least}, {"most", dial.most}, {"step", dial.step},        {"logarithmic", dial.logarithmic},
          {"one", dial.one}};
}

constexpr Dial gain_dial{"gain", "dB", -60, 12, 0.5, false, false}, pitch_dial{"pitch", "st", -24, 24, 0.1, false, false},
    pan_dial{"pan", "pan", -1, 1, 0.05, false, false}, delay_dial{"delay", "s", 0, 10, 0.05, false, false},
    low_pass_dial{"low-pass", "Hz", 20, 20000, 0, true, false}, high_pass_dial{"high-pass", "Hz", 20, 20000, 0, true, true},
    fade_in_dial{"fade-in", "s", 0, 10, 0.05, false, true}, fade_out_dial{"fade-out", "s", 0, 10, 0.05, false, true},
    spacing_dial{"spacing", "s", 0, 5, 0.01, false, true}, near_dial{"near", "m", 0.1, 1000, 0, true, true},
    far_dial{"far", "m", 0.1, 5000, 0, true, true};

template <class T>
Range<T> only(T value) {
  return {value, value};
}

json dials_of(const BookSound& sound) {
  json dials = json::array();
  dials.push_back(dial_json(gain_dial, sound.gain));
  dials.push_back(dial_json(pitch_dial, sound.pitch));
  dials.push_back(dial_json(pan_dial, sound.pan));
  dials.push_back(dial_json(delay_dial, sound.delay));
  dials.push_back(dial_json(low_pass_dial, sound.low_pass));
  dials.push_back(dial_json(high_pass_dial, only(sound.high_pass)));
  dials.push_back(dial_json(fade_in_dial, only(sound.fade_in)));
  dials.push_back(dial_json(fade_out_dial, only(sound.fade_out)));
  dials.push_back(dial_json(spacing_dial, only(sound.spacing)));
  if (sound.world.place == Where::world) {
    dials.push_back(dial_json(near_dial, only(sound.world.full_within)));
    dials.push_back(dial_json(far_dial, only(sound.world.silent_from)));
  }
  return dials;
}

json choice(std::string_view key, std::size_t now, std::span<const std::string_view> words) {
  return {{"key", key}, {"now", words[now]}, {"words", std::vector<std::string>(words.begin(), words.end())}};
}

json choices_of(const BookSound& sound) {
  return json::array({choice("retrigger", static_cast<std::size_t>(sound.retrigger), retrigger_words),
                      choice("when-full", static_cast<std::size_t>(sound.when_full), when_full_words),
                      choice("place", static_cast<std::size_t>(sound.world.place), where_words)});
}

/// Level by distance, evenly from 0 to 10 % beyond `far`.
json by_distance(const BookSound& sound) {
  json points = json::array();
  if (sound.world.place != Where::world) return points;
  const DistanceCurve curve(sound.world);
  constexpr int steps = 120;
  for (int i = 0; i <= steps; ++i) {
    const double metres = curve.silent_from() * 1.1 * i / steps;
    points.push_back({metres, std::max(-120.0, number(decibels(curve.amplitude(metres))))});
  }
  return points;
}

json follows_of(const Book& book, const BookSound& sound) {
  json all = json::array();
  for (std::size_t i = 0; i < sound.follow.size(); ++i) {
    const FollowDesign& follow = sound.follow[i];
    const auto gauge = std::find_if(book.gauges.begin(), book.gauges.end(), [&](const BookGauge& its) { return its.name == follow.gauge; });
    json curves = json::array();
    for (const CurveDesign& curve : follow.curves) {
      json points = json::array();
      for (const CurvePoint& point : curve.points) points.push_back({point.gauge, std::max(-120.0, point.value)});
      curves.push_back({{"bends", bends_words[static_cast<std::size_t>(curve.bends)]}, {"points", points}});
    }
    all.push_back({{"number", i},
                   {"gauge", follow.gauge},
                   {"between", between_words[static_cast<std::size_t>(follow.between)]},
                   {"curves", curves},
                   {"from", gauge == book.gauges.end() ? json() : json(gauge->from)},
                   {"to", gauge == book.gauges.end() ? json() : json(gauge->to)}});
  }
  return all;
}

json layers_of(const BookSound& sound) {
  json layers = json::array();
  for (const BookLayer& layer : sound.layers) {
    json clips = json::array();
    for (const BookChoice& its : layer.choices)
      for (const BookClip& clip : its.clips) clips.push_back({{"path", clip.path}, {"weight", clip.weight}, {"values", its.values}});
    layers.push_back({{"name", layer.name},
                      {"gain", {number(layer.gain.low), number(layer.gain.high)}},
                      {"pitch", {number(layer.pitch.low), number(layer.pitch.high)}},
                      {"loops", layer.loop.loops()},
                      {"anywhere", layer.start_anywhere},
                      {"chance", layer.chance},
                      {"by", layer.by},
                      {"clips", clips}});
  }
  return layers;
}

std::string setting(const BookSound& sound, std::string_view key) {
  for (const BookSetting& its : sound.settings)
    if (its.key == key && its.from == "own") return its.value;
  return {};
}

/// Returns the note that the tree shows behind a sound's name.
std::string note_of(const BookSound& sound) {
  std::string like = setting(sound, "like");
  std::erase(like, '"');
  if (!like.empty()) return "like " + like;
  if (!setting(sound, "sketch").empty()) return "sketched";
  if (sound.track) return sound.list.empty() ? "track" : "list of tracks";
  if (sound.layers.size() > 1) return fmt::format("{} layers", sound.layers.size());
  if (!sound.layers.empty() && !sound.layers.front().by.empty()) return fmt::format("by {}", fmt::join(sound.layers.front().by, ", "));
  std::set<std::string> clips;
  sound.each_clip([&](const BookLayer&, const BookClip& clip) { clips.insert(clip.path); });
  return clips.size() > 1 ? fmt::format("{} clips", clips.size()) : std::string();
}

const BookSound* sound_in(const Book& book, const std::string& name) {
  const auto found = std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& its) { return its.name == name; });
  return found == book.sounds.end() ? nullptr : &*found;
}

/// The dials, each with `was` if the file has another value.
json dials_with_kept(const BookSound& turned, const BookSound* kept) {
  json dials = dials_of(turned);
  if (kept == nullptr) return dials;
  for (const json& was : dials_of(*kept))
    for (json& its : dials)
      if (its["key"] == was["key"] && (its["low"] != was["low"] || its["high"] != was["high"])) its["was"] = {was["low"], was["high"]};
  return dials;
}

bool is_audio(const std::string& file) {
  static constexpr std::array<std::string_view, 12> ends = {".wav",  ".flac", ".ogg", ".mp3", ".aiff", ".aif",
                                                            ".opus", ".mid",  ".xm",  ".it",  ".mod",  ".s3m"};
  return std::any_of(ends.begin(), ends.end(), [&](std::string_view end) { return file.ends_with(end); });
}

std::vector<std::string> unused_clips(const Book& book) {
  std::set<std::string> used;
  for (const BookSound& sound : book.sounds) sound.each_clip([&](const BookLayer&, const BookClip& clip) { used.insert(clip.path); });
  std::vector<std::string> unused;
  const ClipFolder folder(book.clips_folder);
  for (const std::string& file : folder.files())
    if (is_audio(file) && !used.contains(file) && (book.speech.empty() || !file.starts_with(book.speech + "/"))) unused.push_back(file);
  return unused;
}

/// A number between finite bounds.
double finite(const json& value, const char* what) {
  if (!value.is_number() || !std::isfinite(value.get<double>())) throw Error(fmt::format("'{}' must be a number", what));
  return value.get<double>();
}

template <class T>
Range<T> range_of(const json& value) {
  return {T{finite(value.at("low"), "low")}, T{finite(value.at("high"), "high")}};
}

/// Returns a text without its quotes; empty if it has none.
std::string plain(const std::optional<std::string>& old) {
  return old && old->size() > 1 && (old->front() == '"' || old->front() == '\'') ? old->substr(1, old->size() - 2) : std::string();
}

}  // namespace

json book_json(const ReadBook& read) {
  const Book& book = read.book;
  json groups = json::array(), sounds = json::array(), events = json::array(), gauges = json::array(), problems = json::array();
  for (const BookGroup& group : book.groups)
    groups.push_back({{"name", group.name}, {"parent", group.parent}, {"gain", number(group.gain)}, {"mute", group.muted}});
  for (const BookSound& sound : book.sounds)
    sounds.push_back({{"name", sound.name}, {"group", sound.group}, {"note", note_of(sound)}, {"track", sound.track.has_value()}});
  for (const BookEvent& event : book.events) {
    json responses = json::array();
    for (const BookResponse& response : event.responses)
      responses.push_back({{"verb", verb_words[static_cast<std::size_t>(response.verb)]}, {"target", response.target}});
    events.push_back({{"name", event.name}, {"responses", responses}});
  }
  for (const BookGauge& gauge : book.gauges)
    gauges.push_back({{"name", gauge.name}, {"from", gauge.from}, {"to", gauge.to}, {"initial", gauge.initial}});
  for (const Problem& problem : read.problems) problems.push_back(to_text(problem));
  return {{"name", book.name},    {"file", book.file},
          {"groups", groups},     {"sounds", sounds},
          {"events", events},     {"gauges", gauges},
          {"problems", problems}, {"unused", book.clips_folder.empty() ? std::vector<std::string>() : unused_clips(book)}};
}

json sound_json(const Book& book, const Book& kept, const std::string& name) {
  const BookSound* found = sound_in(book, name);
  if (found == nullptr) return {};
  const BookSound& sound = *found;
  json settings = json::array();
  for (const BookSetting& its : sound.settings) {
    const auto& keys = book_keys();
    const auto key = std::find_if(keys.begin(), keys.end(), [&](const BookKey& k) { return k.section == "sounds" && k.key == its.key; });
    settings.push_back({{"key", its.key}, {"value", its.value}, {"from", its.from}, {"meaning", key == keys.end() ? "" : key->meaning}});
  }
  std::vector<std::string> together;
  for (std::size_t i = 0; i < draw_count; ++i)
    if (sound.together[i]) together.emplace_back(draw_words[i]);
  return {{"name", sound.name},
          {"group", sound.group},
          {"section", sound.track ? "tracks" : "sounds"},
          {"world", sound.world.place == Where::world},
          {"near", number(sound.world.full_within)},
          {"far", number(sound.world.silent_from)},
          {"limit", sound.limit},
          {"rank", sound.rank},
          {"note", note_of(sound)},
          {"together", together},
          {"settings", settings},
          {"dials", dials_with_kept(sound, sound_in(kept, name))},
          {"choices", choices_of(sound)},
          {"distance", by_distance(sound)},
          {"follow", follows_of(book, sound)},
          {"layers", layers_of(sound)}};
}

BookPath path_of(const json& value) {
  constexpr std::size_t deepest = 12;
  BookPath path;
  if (!value.is_array() || value.empty() || value.size() > deepest) throw Error("'path' must be a list of keys and places in lists");
  for (const json& step : value) {
    if (step.is_string())
      path.emplace_back(step.get<std::string>());
    else if (step.is_number_unsigned())
      path.emplace_back(step.get<std::size_t>());
    else
      throw Error("'path' must be a list of keys and places in lists");
  }
  return path;
}

json json_of(const BookPath& path) {
  json steps = json::array();
  for (const BookStep& step : path) std::visit([&](const auto& its) { steps.push_back(its); }, step);
  return steps;
}

std::optional<std::string> value_of(const json& value, const std::optional<std::string>& old) {
  if (value.value("remove", false)) return std::nullopt;
  if (value.contains("text") && value["text"].is_string()) return in_basic_quotes(value["text"].get<std::string>());
  if (value.contains("flag") && value["flag"].is_boolean()) return value["flag"].get<bool>() ? "true" : "false";
  if (value.contains("number")) return fmt::format("{:.6g}", finite(value["number"], "number"));
  if (!value.contains("low") || !value.contains("high")) throw Error("a value is a text, a number, a flag, or low and high with a unit");
  const std::string unit = value.value("unit", ""), was = plain(old);
  const auto spelled = [&]() -> std::string {
    if (unit == "dB") {
      Range<Decibels> range = range_of<Decibels>(value);
      for (Decibels* end : {&range.low, &range.high})
        if (end->value <= -120) *end = silence;
      return spelled_like(was, range);
    }
    if (unit == "st") return spelled_like(was, range_of<Semitones>(value));
    if (unit == "s") return spelled_like(was, range_of<Seconds>(value));
    if (unit == "Hz") return spelled_like(was, range_of<Hertz>(value));
    if (unit == "m") return spelled_like(was, range_of<Metres>(value));
    if (unit == "pan") return spelled_like(was, range_of<Pan>(value));
    throw Error(fmt::format("the unit '{}' is none of dB, st, s, Hz, m and pan", unit));
  };
  return in_basic_quotes(spelled());
}

}  // namespace tidewater::desk
