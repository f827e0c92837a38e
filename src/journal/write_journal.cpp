#include <fmt/format.h>

#include <cstdio>
#include <filesystem>
#include <memory>
#include <nlohmann/json.hpp>

#include "base/whole_file.hpp"
#include "journal/kept_file.hpp"
#include "request/described.hpp"
#include "tidewater/error.hpp"
#include "tidewater/journal_file.hpp"

namespace tidewater {
namespace {

using OrderedJson = nlohmann::ordered_json;

std::string to_text(PlaybackId id) {
  return id.beat == 0 ? fmt::format("{}.{}", id.raise, id.response) : fmt::format("{}.{}.{}", id.raise, id.response, id.beat);
}

/// How a line says what a request carries.
class WrittenValues {
 public:
  explicit WrittenValues(OrderedJson& line) : line_(line) {}

  void add(const char* key, bool value) { line_[key] = value; }
  void add(const char* key, std::uint64_t value) { line_[key] = value; }
  void add(const char* key, double value) { line_[key] = value; }
  void add(const char* key, TimeScale value) { line_[key] = value.value; }
  void add(const char* key, Share value) { line_[key] = value.value; }
  void add(const char* key, std::string_view value) { line_[key] = value; }
  void add(const char* key, const Name& value) { line_[key] = value.text(); }
  void add(const char* key, Preload value) { line_[key] = preload_words[static_cast<std::size_t>(value)]; }
  void add(const char* key, Emitter value) { line_[key] = value.number; }
  void add(const char* key, const Place& value) { line_[key] = {value.x, value.y, value.z}; }
  void add(const char* key, const std::optional<Place>& value) {
    if (value) add(key, *value);
  }
  void add(const char* key, std::optional<On> value) {
    if (value) line_[key] = word_of(*value);
  }
  void add(const char* key, std::optional<Seconds> value) {
    if (value) add(key, *value);
  }
  void add(const char* key, const Vector& value) {
    // As few digits as give the very same float again.
    line_[key] = OrderedJson::parse(fmt::format("[{},{},{}]", value.x, value.y, value.z));
  }
  void add(const char* key, WhatPlays value) { line_[key] = what_plays_words[static_cast<std::size_t>(value)]; }
  void add(const char* key, PlaybackId value) { line_[key] = to_text(value); }
  void add(const char* key, ContentHash value) { line_[key] = fmt::format("{:016x}", value.value); }
  void add(const char* key, Hertz value) { line_[key] = value > Hertz{} ? tidewater::to_text(value) : "none"; }
  template <class Quantity>
  void add(const char* key, Quantity value) {
    line_[key] = tidewater::to_text(value);
  }
  void add(const char*, const Target& value) {
    if (const auto* group = std::get_if<Name>(&value))
      add("group", *group);
    else
      add("playback", std::get<PlaybackId>(value));
  }
  void add(const char* key, std::span<const GaugeValue> gauges) {
    for (const GaugeValue& its : gauges) line_[key][std::string(its.gauge.text())] = its.value;
  }
  /// They come last: an object that keeps its order looks through all its keys for each, and a game may give any number.
  void add(const char*, std::span<const Trait> traits) {
    for (const Trait& trait : traits) traits_.emplace(trait.name.text(), trait.value.text());  // of two the first counts
  }

  const nlohmann::json& traits() const { return traits_; }

 private:
  OrderedJson& line_;
  nlohmann::json traits_;
};

bool says_something(std::uint64_t value) { return value != 0; }
bool says_something(double) { return true; }
bool says_something(std::string_view value) { return !value.empty(); }
bool says_something(Preload value) { return value != Preload::all; }
bool says_something(WhatPlays value) { return value != WhatPlays::fades; }
bool says_something(ContentHash value) { return value.value != 0; }
bool says_something(Emitter value) { return value.number != 0; }
bool says_something(const std::optional<Place>& value) { return value.has_value(); }
bool says_something(std::optional<On> value) { return value.has_value(); }
bool says_something(std::optional<Seconds> value) { return value.has_value(); }
bool says_something(Seconds value) { return value > Seconds{}; }
bool says_something(const Name& value) { return !value.text().empty(); }
bool says_something(const Vector& value) { return value != Vector{}; }
bool says_something(Decibels value) { return value != Decibels{}; }
bool says_something(std::span<const GaugeValue> gauges) { return !gauges.empty(); }
bool says_something(std::span<const Trait> traits) { return !traits.empty(); }

std::string text_of(const auto& json) { return json.dump(-1, ' ', false, OrderedJson::error_handler_t::replace); }

std::string line_of(Frames at, const noted::Asked& asked) {
  OrderedJson line = {{"at", at.value}};
  if (asked.lands != at) line["lands"] = asked.lands.value;
  if (asked.into != Frames{}) line["into"] = asked.into.value;
  if (asked.meanwhile) line["meanwhile"] = true;
  line["request"] = name_of(asked.request);
  WrittenValues values(line);
  each_field(asked.request, [&](const auto& field, const auto& value) {
    if constexpr (requires { says_something(value); })
      if (field.use == Use::unusual && !says_something(value)) return;
    values.add(field.key, value);
  });
  std::string text = text_of(line);
  if (!values.traits().is_null()) text.insert(text.size() - 1, ",\"traits\":" + text_of(values.traits()));
  return text;
}

void add_names(OrderedJson& line, std::string_view event, std::string_view sound, const noted::Layer* layer) {
  const auto add = [&](const char* key, std::string_view value) {
    if (!value.empty()) line[key] = value;
  };
  add("event", event);
  add("sound", sound);
  if (layer == nullptr) return;
  add("clip", layer->clip);
  add("group", layer->group);
}

void add_layer(OrderedJson& line, const noted::Layer& layer) {
  line["gain"] = tidewater::to_text(layer.gain);
  line["pitch"] = tidewater::to_text(layer.pitch);
  if (layer.pan.value != 0) line["pan"] = tidewater::to_text(layer.pan);
  if (layer.low_pass > Hertz{}) line["low-pass"] = tidewater::to_text(layer.low_pass);
  if (layer.away) line["away"] = fmt::format("{:.{}f} m", layer.away->value, layer.away->value < 10 ? 2 : 1);
  if (layer.clip_start > Seconds{}) line["clip-start"] = tidewater::to_text(layer.clip_start);
  if (layer.voice != noted::Layer::no_voice) line["voice"] = layer.voice;
  line["starts"] = layer.starts.value;
  if (layer.fade_in > Seconds{}) line["fade-in"] = tidewater::to_text(layer.fade_in);
  if (layer.loop) line["loop"] = true;
  if (layer.tempo > Tempo{}) {
    line["tempo"] = tidewater::to_text(layer.tempo);
    line["metre"] = layer.metre;
    if (layer.first_beat > Seconds{}) line["first-beat"] = tidewater::to_text(layer.first_beat);
  }
}

OrderedJson json_of(const noted::Head& head) {
  return {{"journal", 1},
          {"rate", head.rate.value},
          {"seed", head.seed},
          {"voices", head.voices},
          {"quality", quality_words[static_cast<std::size_t>(head.quality)]},
          {"layout", layout_words[static_cast<std::size_t>(head.layout)]},
          {"limiter", head.limiter},
          {"playbacks", head.playbacks},
          {"emitters", head.emitters},
          {"recorded", head.recorded},
          {"machine", head.machine}};
}

OrderedJson json_of(const noted::Decision& decision) {
  OrderedJson line = {{"outcome", tidewater::to_text(decision.outcome)}};
  if (decision.raise != 0) line["id"] = decision.raise;
  if (decision.playback.response != 0) line["playback"] = to_text(decision.playback);
  add_names(line, decision.event, decision.sound, decision.start ? &*decision.start : nullptr);
  if (decision.start) add_layer(line, *decision.start);
  if (!decision.why.empty()) line["why"] = decision.why;
  return line;
}

OrderedJson json_of(const noted::FurtherLayer& further) {
  OrderedJson line = {{"layer", further.layer.name}};
  if (further.outcome != Outcome::started) line["outcome"] = tidewater::to_text(further.outcome);
  line["id"] = further.playback.raise;
  line["playback"] = to_text(further.playback);
  add_names(line, further.event, further.sound, &further.layer);
  if (plays(further.outcome)) add_layer(line, further.layer);
  if (!further.why.empty()) line["why"] = further.why;
  return line;
}

OrderedJson json_of(const noted::Due& due) {
  OrderedJson line = {{"due", to_text(due.playback)}, {"sound", due.sound}};
  if (!due.layer.empty()) line["layer"] = due.layer;
  if (due.outcome != Outcome::started) line["outcome"] = tidewater::to_text(due.outcome);
  if (due.voice != noted::Layer::no_voice) line["voice"] = due.voice;
  line["starts"] = due.starts.value;
  if (!due.why.empty()) line["why"] = due.why;
  return line;
}

OrderedJson json_of(const noted::Fading& fading) {
  OrderedJson line = {{"fading", to_text(fading.playback)},
                      {"sound", fading.sound},
                      {"voice", fading.voice},
                      {"fade", tidewater::to_text(fading.fade)},
                      {"how", tidewater::to_text(fading.how)}};
  if (!fading.layer.empty()) line["layer"] = fading.layer;
  if (fading.from > Frames{}) line["from"] = fading.from.value;
  if (!fading.why.empty()) line["why"] = fading.why;
  return line;
}

OrderedJson json_of(const noted::Woke& woke) {
  OrderedJson line = {{"woke", to_text(woke.playback)}, {"sound", woke.sound}, {"voice", woke.voice}, {"starts", woke.starts.value}};
  if (!woke.layer.empty()) line["layer"] = woke.layer;
  return line;
}

OrderedJson json_of(const noted::Ended& ended) {
  return {{"ended", to_text(ended.playback)}, {"sound", ended.sound}, {"how", tidewater::to_text(ended.how)}};
}

OrderedJson json_of(const noted::Updates& run) {
  OrderedJson line = {{"updates", run.times}, {"every", run.every.value}};
  if (run.after == noted::Updates::all)
    line["after"] = "all";
  else if (run.after > 0)
    line["after"] = run.after;
  if (run.ahead != Frames{}) line["lands"] = (run.first + run.ahead).value;
  return line;
}

OrderedJson json_of(const noted::Late& late) { return {{"late", late.request}, {"landed", late.landed.value}}; }

OrderedJson json_of(const noted::Sums& sums) {
  const auto in_hex = [](std::uint64_t sum) { return fmt::format("{:016x}", sum); };
  return {{"second", sums.second}, {"choose", in_hex(sums.choose)}, {"voices", in_hex(sums.voices)}, {"play", in_hex(sums.play)}};
}

OrderedJson json_of(const noted::Notice& notice) {
  OrderedJson line = {{"notice", notice.why}};
  if (notice.playback == PlaybackId{}) return line;
  line["stream"] = notice.stream;
  line["playback"] = to_text(notice.playback);
  line["sound"] = notice.sound;
  return line;
}

/// As they stand in a line; a file beside the journal has them in less room.
OrderedJson json_of(const noted::Kept& kept) {
  OrderedJson list = OrderedJson::array();
  for (const noted::KeptEmitter& its : kept.emitters) {
    OrderedJson one;
    WrittenValues values(one);
    values.add("emitter", its.emitter);
    if (its.gone) {
      one["gone"] = true;
    } else {
      values.add("place", its.place);
      if (its.velocity != Vector{}) values.add("velocity", its.velocity);
      if (its.facing != Vector{}) values.add("facing", its.facing);
    }
    list.push_back(std::move(one));
  }
  OrderedJson line{{"update", kept.update}, {"kept", std::move(list)}};
  for (const noted::KeptGauge& its : kept.gauges)
    line["gauges"].push_back({{"emitter", its.emitter.number}, {"gauge", its.gauge}, {"value", its.value}});
  return line;
}

OrderedJson json_of(const noted::End&) { return {{"end", true}}; }

}  // namespace

std::string to_json(const JournalEntry& entry) {
  if (const auto* asked = entry.as<noted::Asked>()) return line_of(entry.at, *asked);
  OrderedJson line;
  if (entry.as<noted::Head>() == nullptr) line["at"] = entry.at.value;
  std::visit(
      [&](const auto& what) {
        if constexpr (requires { json_of(what); }) line.update(json_of(what));
      },
      entry.what);
  return text_of(line);
}

struct JournalFile::State {
  explicit State(std::string its_path) : path(its_path), file(std::move(its_path)) {}
  ~State() {
    if (added != nullptr) std::fclose(added);
  }
  State(const State&) = delete;
  State& operator=(const State&) = delete;

  void write(const JournalEntry& entry) {
    const auto* kept = entry.as<noted::Kept>();
    if (kept == nullptr || closed) return write(to_json(entry) + '\n');
    if (world == nullptr) {
      const std::filesystem::path beside = std::filesystem::path(path).replace_extension(kept_ending);
      world = std::make_unique<WholeFile>(beside.string());
      world->write(KeptWriter::head());
      write(text_of(OrderedJson{{"at", entry.at.value}, {"world", beside.filename().string()}}) + '\n');
    }
    world->write(steps.step(*kept));
    world->flush();
  }

  void write(const std::string& line) {
    if (!closed) {
      file.write(line);
      file.flush();
      return;
    }
    // The last lines of a manager that ends after its file was closed.
    if (added == nullptr) added = std::fopen(path.c_str(), "ab");
    if (added == nullptr) return;
    std::fwrite(line.data(), 1, line.size(), added);
    std::fflush(added);
  }

  void close() {
    if (closed) return;
    closed = true;
    if (world != nullptr) world->commit();
    file.commit();
  }

  std::string path;
  WholeFile file;
  std::unique_ptr<WholeFile> world;  ///< what is kept of emitters, from the first on
  KeptWriter steps;
  bool closed = false;
  std::FILE* added = nullptr;
};

JournalFile::JournalFile(std::string path) : state_(std::make_shared<State>(std::move(path))) {}

JournalFile::~JournalFile() {
  try {
    close();
  } catch (const Error&) {
    // A destructor has nobody to tell; whoever wants to know calls close().
  }
}

void JournalFile::write(const JournalEntry& entry) { state_->write(entry); }

void JournalFile::close() { state_->close(); }

JournalSink JournalFile::sink() {
  return [state = state_](const JournalEntry& entry) { state->write(entry); };
}

}  // namespace tidewater
