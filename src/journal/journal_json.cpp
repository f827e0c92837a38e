#include <fmt/format.h>

#include <cstdio>
#include <nlohmann/json.hpp>

#include "base/whole_file.hpp"
#include "journal/head_words.hpp"
#include "tidewater/error.hpp"
#include "tidewater/journal.hpp"
#include "tidewater/replay.hpp"

namespace tidewater {
namespace {

using Json = nlohmann::ordered_json;
using Kind = JournalEntry::Kind;

std::string to_text(PlaybackId id) { return fmt::format("{}.{}", id.raise, id.response); }

Json request(const JournalEntry& e, std::string_view name) {
  Json json = {{"at", e.at.value}};
  if (e.lands != e.at) json["lands"] = e.lands.value;
  if (e.into != Frames{}) json["into"] = e.into.value;
  json["request"] = name;
  return json;
}

Json target_of(const JournalEntry& e, std::string_view name) {
  Json json = request(e, name);
  if (e.playback == PlaybackId{})
    json["group"] = e.group;
  else
    json["playback"] = to_text(e.playback);
  return json;
}

Json decision(const JournalEntry& e) {
  Json json = {{"at", e.at.value}};
  if (e.kind == Kind::layer) json["layer"] = e.layer;
  if (e.kind != Kind::layer || e.outcome != Outcome::started) json["outcome"] = tidewater::to_text(e.outcome);

  if (e.raise != 0) json["id"] = e.raise;
  if (e.playback.response != 0) json["playback"] = to_text(e.playback);
  for (const auto& [key, value] : {std::pair{"event", &e.event}, {"sound", &e.sound}, {"clip", &e.clip}, {"group", &e.group}})
    if (!value->empty()) json[key] = *value;
  if (plays(e.outcome)) {
    json["gain"] = tidewater::to_text(e.gain);
    json["pitch"] = tidewater::to_text(e.pitch);
    if (e.pan.value != 0) json["pan"] = tidewater::to_text(e.pan);
    if (e.frequency > Hertz{}) json["low-pass"] = tidewater::to_text(e.frequency);
    if (e.clip_start > Seconds{}) json["clip-start"] = tidewater::to_text(e.clip_start);
    if (e.voice != JournalEntry::no_voice) json["voice"] = e.voice;
    json["starts"] = e.starts.value;
    if (e.fade_in > Seconds{}) json["fade-in"] = tidewater::to_text(e.fade_in);
    if (e.loop) json["loop"] = true;
  }
  if (!e.why.empty()) json["why"] = e.why;
  return json;
}

Json json_of(const JournalEntry& e) {
  switch (e.kind) {
    case Kind::head:
      return {{"journal", 1},
              {"rate", e.rate.value},
              {"seed", e.seed},
              {"voices", e.voices},
              {"quality", quality_words[static_cast<std::size_t>(e.quality)]},
              {"layout", layout_words[static_cast<std::size_t>(e.layout)]},
              {"limiter", e.on}};
    case Kind::load:
    case Kind::unload: {
      Json json = request(e, e.kind == Kind::load ? "load" : "unload");
      json["bank"] = e.bank;
      return json;
    }
    case Kind::unreadable: {
      Json json = target_of(e, "unreadable");
      json["why"] = e.why;
      return json;
    }
    case Kind::late: return {{"at", e.at.value}, {"late", e.raise}, {"landed", e.starts.value}};
    case Kind::raise: {
      Json json = request(e, "raise");
      json["id"] = e.raise;
      json["event"] = e.event;
      if (e.emitter != 0) json["emitter"] = e.emitter;
      return json;
    }
    case Kind::stop: {
      Json json = target_of(e, "stop");
      json["fade"] = to_text(e.fade);
      return json;
    }
    case Kind::gain: {
      Json json = target_of(e, "gain");
      json["gain"] = to_text(e.gain);
      json["time"] = to_text(e.fade);
      return json;
    }
    case Kind::bend: {
      Json json = target_of(e, "bend");
      json["pitch"] = to_text(e.pitch);
      json["time"] = to_text(e.fade);
      return json;
    }
    case Kind::pan: {
      Json json = target_of(e, "pan");
      json["pan"] = to_text(e.pan);
      json["time"] = to_text(e.fade);
      return json;
    }
    case Kind::low_pass:
    case Kind::high_pass: {
      Json json = target_of(e, e.kind == Kind::low_pass ? "low-pass" : "high-pass");
      json["frequency"] = e.frequency.value > 0 ? to_text(e.frequency) : "none";
      json["time"] = to_text(e.fade);
      return json;
    }
    case Kind::mute: {
      Json json = target_of(e, "mute");
      json["mute"] = e.on;
      return json;
    }
    case Kind::stop_all: {
      Json json = request(e, "stop-all");
      json["fade"] = to_text(e.fade);
      return json;
    }
    case Kind::decision:
    case Kind::layer: return decision(e);
    case Kind::fading: {
      Json json = {{"at", e.at.value}, {"fading", to_text(e.playback)}, {"sound", e.sound},
                   {"voice", e.voice}, {"fade", to_text(e.fade)},       {"how", e.how}};
      if (!e.why.empty()) json["why"] = e.why;
      return json;
    }
    case Kind::woke:
      return {{"at", e.at.value}, {"woke", to_text(e.playback)}, {"sound", e.sound}, {"voice", e.voice}, {"starts", e.starts.value}};
    case Kind::ended: return {{"at", e.at.value}, {"ended", to_text(e.playback)}, {"sound", e.sound}, {"how", e.how}};
    case Kind::updates: {
      Json json = {{"at", e.at.value}, {"updates", e.times}, {"every", e.every.value}};
      if (e.after == UpdateRun::all)
        json["after"] = "all";
      else if (e.after > 0)
        json["after"] = e.after;
      if (e.lands != e.at) json["lands"] = e.lands.value;
      return json;
    }
    case Kind::notice:
      if (e.playback == PlaybackId{}) return {{"at", e.at.value}, {"notice", e.why}};
      return {{"at", e.at.value}, {"notice", e.why}, {"stream", e.how}, {"playback", to_text(e.playback)}, {"sound", e.sound}};
    case Kind::end: return {{"at", e.at.value}, {"end", true}};
  }
  return {};
}

}  // namespace

std::string to_json(const JournalEntry& entry) {
  const auto text_of = [](const auto& json) { return json.dump(-1, ' ', false, Json::error_handler_t::replace); };
  std::string line = text_of(json_of(entry));
  if (entry.traits.empty()) return line;
  // An object that keeps its order looks through all its keys for each; a game may give any number of traits.
  nlohmann::json traits = nlohmann::json::object();
  for (const auto& [name, value] : entry.traits) traits[name] = value;
  line.insert(line.size() - 1, ",\"traits\":" + text_of(traits));
  return line;
}

struct JournalFile::State {
  explicit State(std::string its_path) : path(its_path), file(std::move(its_path)) {}
  ~State() {
    if (added != nullptr) std::fclose(added);
  }
  State(const State&) = delete;
  State& operator=(const State&) = delete;

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
    file.commit();
  }

  std::string path;
  WholeFile file;
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

void JournalFile::write(const JournalEntry& entry) { state_->write(to_json(entry) + '\n'); }

void JournalFile::close() { state_->close(); }

JournalSink JournalFile::sink() {
  return [state = state_](const JournalEntry& entry) { state->write(to_json(entry) + '\n'); };
}

}  // namespace tidewater
