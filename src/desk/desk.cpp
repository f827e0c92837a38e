#include "tidewater/desk/desk.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <cmath>
#include <condition_variable>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>
#include <thread>
#include <utility>

#include "bank/bank_data.hpp"
#include "desk/book_json.hpp"
#include "desk/clips.hpp"
#include "desk/feed.hpp"
#include "desk/http.hpp"
#include "desk/osc.hpp"
#include "desk/page.hpp"
#include "desk/turned_book.hpp"
#include "tidewater/author/gather.hpp"
#include "tidewater/error.hpp"
#include "tidewater/journal_file.hpp"

namespace tidewater {
namespace {

using json = nlohmann::json;
using desk::Answer;
using desk::Asked;

constexpr std::chrono::milliseconds meters_every{33};
constexpr int groups_every = 30;  ///< messages: banks come and go slowly

/// Bytes that are not UTF-8 are replaced, so that they do not end a request.
std::string text_of(const json& value) { return value.dump(-1, ' ', false, json::error_handler_t::replace); }

Answer answer(const json& value) { return {200, text_of(value), "application/json"}; }

Answer answer(const desk::TurnOutcome& outcome) {
  if (!outcome.problem.empty()) return desk::problem(outcome.problem);
  return answer(json{{"also", outcome.also}, {"reloads", outcome.reloads}});
}

json body_of(const Asked& asked) {
  json body = json::parse(asked.body, nullptr, false);
  if (!body.is_object()) throw Error("the body must be a JSON object");
  return body;
}

std::string text_in(const json& body, const char* key) {
  if (!body.contains(key) || !body[key].is_string()) throw Error(fmt::format("'{}' must be a text", key));
  return body[key].get<std::string>();
}

double number_in(const json& body, const char* key) {
  if (!body.contains(key) || !body[key].is_number()) throw Error(fmt::format("'{}' must be a number", key));
  return body[key].get<double>();
}

std::vector<std::string> texts_in(const json& body, const char* key) {
  if (!body.contains(key)) return {};
  if (!body[key].is_array()) throw Error(fmt::format("'{}' must be a list of texts", key));
  std::vector<std::string> texts;
  for (const json& its : body[key]) {
    if (!its.is_string()) throw Error(fmt::format("'{}' must be a list of texts", key));
    texts.push_back(its.get<std::string>());
  }
  return texts;
}

std::string playback_name(const PlaybackId& id) {
  return id.beat == 0 ? fmt::format("{}.{}", id.raise, id.response) : fmt::format("{}.{}.{}", id.raise, id.response, id.beat);
}

/// Turns of one fader in a row share this drag, so one undo takes them back.
constexpr std::uint64_t osc_drag = 1;

double level(Decibels its) { return std::max(-120.0, its.value); }

}  // namespace

struct Desk::State {
  SoundManager& manager;
  DeskOptions options;
  desk::Feed feed;
  desk::TurnedBook book;
  std::mutex mutex;
  std::condition_variable wake;
  bool watched = false, ends = false;
  std::uint64_t journal = 0;
  // Newest values for the next message; older ones are dropped.
  std::map<std::string, std::string> newest;                    ///< lines of listeners and gauges, by what they are about
  std::map<std::uint64_t, std::optional<Place>> newest_places;  ///< by emitter; nothing for one that is gone
  std::set<std::string> groups_shown;                           ///< on the ticking thread alone
  std::atomic<int> groups_age{0};
  std::thread ticking;
  // Last, so that their threads end before what they use.
  desk::Http http;
  std::unique_ptr<desk::Osc> osc;

  State(SoundManager& game, const DeskOptions& given)
      : manager(game),
        options(given),
        book(
            game, given.book, [this] { tell_edits(); },
            [this](const std::string& what) {
              feed.add(text_of({{"desk", "told"}, {"what", what}}));
            }),
        http({given.listen, given.port, given.token}) {
    http.page(desk::page_html());
    http.feed("/feed", feed, [this](bool on) { watch(on); });
    add_views();
    add_turning();
    add_playing();
    http.get("/osc", [this](const Asked&) { return answer(osc_json()); });
    if (given.osc)
      osc = std::make_unique<desk::Osc>(
          desk::OscOptions{given.osc_from.empty() ? "127.0.0.1" : "0.0.0.0", *given.osc, given.osc_from},
          [this](const desk::OscMessage& message) { return carry_out(message); }, [this] { return group_levels(); });
    ticking = std::thread([this] { tick(); });
    http.start();
  }
  ~State() {
    {
      const std::lock_guard lock(mutex);
      ends = true;
    }
    wake.notify_all();
    ticking.join();
    feed.close();
  }

  // Messages to the pages.

  json edits_json() const {
    json list = json::array();
    for (const desk::TurnedBook::Edit& its : book.edits())
      list.push_back({{"path", desk::json_of(its.edit.path)},
                      {"name", to_text(its.edit.path)},
                      {"was", its.edit.read ? json(*its.edit.read) : json()},
                      {"now", its.edit.value ? json(*its.edit.value) : json()}});
    return list;
  }
  void tell_edits() {
    feed.add(text_of({{"desk", "edits"}, {"edits", edits_json()}, {"version", book.version()}, {"trouble", book.trouble()}}));
  }

  /// Hears the journal only while a page is open.
  void watch(bool on) {
    if (on)
      journal = manager.add_journal([this](const JournalEntry& entry) { hear(entry); });
    else
      manager.remove_journal(journal);
    const std::lock_guard lock(mutex);
    watched = on;
    groups_age = 0;
    wake.notify_all();
  }
  void hear(const JournalEntry& entry) {
    if (const auto* asked = entry.as<noted::Asked>()) {
      std::string about;
      if (const auto* listener = std::get_if<asked::SetListener>(&asked->request)) about = fmt::format("listener {}", listener->listener);
      if (const auto* gauge = std::get_if<asked::SetGauge>(&asked->request)) about = "gauge " + std::string(gauge->gauge.text());
      if (!about.empty()) {
        const std::lock_guard lock(mutex);
        newest[about] = to_json(entry);
        return;
      }
    }
    if (const auto* kept = entry.as<noted::Kept>()) {
      const std::lock_guard lock(mutex);
      for (const noted::KeptEmitter& its : kept->emitters)
        newest_places[its.emitter.number] = its.gone ? std::nullopt : std::optional(its.place);
      return;
    }
    if (entry.as<noted::Updates>() != nullptr || entry.as<noted::Sums>() != nullptr) return;
    feed.add(to_json(entry));
  }
  void tick() {
    std::unique_lock lock(mutex);
    for (;;) {
      if (!watched) measure({});
      wake.wait(lock, [&] { return ends || watched; });
      wake.wait_for(lock, meters_every, [&] { return ends; });
      if (ends) return;
      const auto lines = std::exchange(newest, {});
      const auto places = std::exchange(newest_places, {});
      lock.unlock();
      for (const auto& [about, line] : lines) feed.add(line);
      if (!places.empty()) feed.add(text_of(places_json(places)));
      feed.add(text_of(meters()));
      lock.lock();
    }
  }
  static json places_json(const std::map<std::uint64_t, std::optional<Place>>& places) {
    const auto rounded = [](double metres) { return std::round(metres * 100) / 100; };
    json list = json::array();
    for (const auto& [emitter, place] : places)
      list.push_back(place ? json{emitter, rounded(place->x), rounded(place->y), rounded(place->z)} : json{emitter});
    return {{"desk", "places"}, {"places", list}};
  }
  std::set<std::string> groups() const {
    std::set<std::string> names;
    for (const Bank& bank : manager.loaded_banks())
      for (const BankGroup& group : data_of(bank).groups) names.insert(group.name);
    return names;
  }
  /// Measures the loudness of these groups, and of no others.
  void measure(const std::set<std::string>& now) {
    for (const std::string& group : groups_shown)
      if (!now.contains(group)) manager.watch_loudness(Name(group), false);
    for (const std::string& group : now) manager.watch_loudness(Name(group));
    groups_shown = now;
  }
  json meters() {
    if (groups_age++ % groups_every == 0) measure(groups());
    const auto tenths = [](Decibels its) { return std::round(level(its) * 10) / 10; };
    json its = json::object();
    for (const std::string& name : groups_shown) {
      const Meter meter = manager.read_meter(Name(name));
      const auto state = manager.group(Name(name));
      const GroupLoudness loudness = manager.loudness(Name(name)).value_or(GroupLoudness{});
      its[name] = {{"peak", tenths(meter.peak)},
                   {"momentary", tenths(loudness.momentary)},
                   {"short", tenths(loudness.short_term)},
                   {"gain", state ? level(state->gain) : 0.0},
                   {"mute", state && state->muted}};
    }
    const Stats stats = manager.stats();
    return {{"desk", "meters"},       {"at", manager.clock().value}, {"rate", manager.rate().value},
            {"voices", stats.voices}, {"most", stats.most_voices},   {"dormant", stats.dormant},
            {"groups", its}};
  }

  // Control surfaces.

  std::string carry_out(const desk::OscMessage& message) {
    using What = desk::OscMessage::What;
    const auto told = [&](Outcome outcome) {
      return outcome == Outcome::done || outcome == Outcome::started ? std::string()
                                                                     : fmt::format("'{}': {}", message.name, to_text(outcome));
    };
    switch (message.what) {
      case What::group_gain:
      case What::group_fader: return turn_gain({"groups", message.name, "gain"}, message);
      case What::sound_gain: return turn_gain({"sounds", message.name, "gain"}, message);
      case What::group_mute: return told(manager.set_mute(Name(message.name), message.numbers[0] != 0));
      case What::gauge: return told(manager.set_gauge(Name(message.name), message.numbers[0]));
      case What::event:
        return message.numbers.empty() || message.numbers[0] != 0 ? told(manager.raise(Name(message.name)).outcome) : std::string();
    }
    return {};
  }
  std::string turn_gain(const BookPath& path, const desk::OscMessage& message) {
    try {
      json value{{"text", message.text}};
      if (message.text.empty()) value = {{"low", message.numbers.front()}, {"high", message.numbers.back()}, {"unit", "dB"}};
      return book.turn(path, desk::value_of(value, book.value(path)), osc_drag).problem;
    } catch (const Error& error) {
      return error.what();
    }
  }
  std::vector<std::pair<std::string, double>> group_levels() const {
    std::vector<std::pair<std::string, double>> levels;
    for (const std::string& group : groups())
      if (const auto state = manager.group(Name(group))) levels.emplace_back(group, level(state->gain));
    return levels;
  }
  json osc_json() const {
    json rows = json::array();
    for (const desk::OscRow& row : desk::osc_rows())
      rows.push_back({{"address", row.address}, {"types", row.types}, {"range", row.range}, {"meaning", row.meaning}});
    json names{{"group", groups()}, {"sound", json::array()}, {"gauge", json::array()}, {"event", json::array()}};
    const ReadBook now = book.read();
    for (const BookSound& sound : now.book.sounds) names["sound"].push_back(desk::encoded_name(sound.name));
    for (const BookGauge& gauge : now.book.gauges) names["gauge"].push_back(desk::encoded_name(gauge.name));
    for (const BookEvent& event : now.book.events) names["event"].push_back(desk::encoded_name(event.name));
    return {{"port", osc == nullptr ? 0 : osc->port()}, {"addresses", rows}, {"names", names}};
  }

  void add_views() {
    http.get("/book", [this](const Asked&) {
      json its = desk::book_json(book.read());
      its["game"] = options.game;
      its["alone"] = options.alone;
      its["edits"] = edits_json();
      its["version"] = book.version();
      its["trouble"] = book.trouble();
      its["rate"] = manager.rate().value;
      return answer(its);
    });
    http.get("/sound", [this](const Asked& asked) {
      const std::string name = asked.parameter("name");
      json its = desk::sound_json(book.read_sound(name, true).book, book.read_sound(name, false).book, name);
      if (its.is_null()) return desk::problem(fmt::format("the book has no sound '{}'", name));
      return answer(its);
    });
    http.get("/playing", [this](const Asked&) {
      static constexpr std::array<std::string_view, 5> states = {"sounds", "waits", "dormant", "held", "over"};
      json all = json::array();
      for (const PlayingNow& its : manager.playing())
        all.push_back({{"playback", playback_name(its.playback)},
                       {"sound", its.sound},
                       {"group", its.group},
                       {"state", states[static_cast<std::size_t>(its.state)]},
                       {"level", level(its.level)},
                       {"loops", its.loops},
                       {"emitter", its.emitter.number},
                       {"place", its.place ? json{its.place->x, its.place->y, its.place->z} : json()},
                       {"away", its.away ? json(its.away->value) : json()}});
      return answer(json{{"at", manager.clock().value}, {"playing", all}});
    });
    http.get("/clip", [this](const Asked& asked) { return answer(desk::clip_json(book_of_clip(asked), asked.parameter("name"))); });
    http.get("/clip.wav", [this](const Asked& asked) {
      return Answer{200, desk::clip_wav(book_of_clip(asked), asked.parameter("name")), "audio/wav"};
    });
  }

  /// A book that knows the clip. A sketch is called "sketch:SOUND-1".
  Book book_of_clip(const Asked& asked) const {
    const std::string clip = asked.parameter("name"), sketch = "sketch:";
    const std::string sound = clip.starts_with(sketch) ? clip.substr(sketch.size(), clip.rfind('-') - sketch.size()) : std::string();
    return book.read_sound(sound, true).book;
  }
  /// The book that an audition takes a sound or an event from.
  Book book_for(const std::string& name, bool turned) const {
    Book small = book.read_sound(name, turned).book;
    if (std::any_of(small.sounds.begin(), small.sounds.end(), [&](const BookSound& its) { return its.name == name; })) return small;
    return turned ? book.read().book : read_book(options.book).book;
  }

  void add_turning() {
    http.post("/turn", [this](const Asked& asked) {
      const json body = body_of(asked);
      const BookPath path = desk::path_of(body.value("path", json()));
      const auto drag = body.value("drag", json(0));
      return answer(
          book.turn(path, desk::value_of(body, old_value(body, path)), drag.is_number_unsigned() ? drag.get<std::uint64_t>() : 0));
    });
    http.post("/undo", [this](const Asked&) { return answer(book.undo()); });
    http.post("/give-back", [this](const Asked& asked) { return answer(book.give_back(texts_in(body_of(asked), "names"))); });
    http.post("/keep", [this](const Asked& asked) {
      const desk::TurnedBook::Kept kept = book.keep(texts_in(body_of(asked), "names"));
      return answer(json{{"kept", kept.count}, {"problems", kept.problems}});
    });
    http.post("/gather", [this](const Asked& asked) { return answer(take_in_clips(body_of(asked).value("group", ""))); });
  }
  /// Takes all clips that no sound uses into the book. New sounds go below the group if one is given.
  json take_in_clips(const std::string& group) {
    const Gathered gathered = gather(book.read().book.clips_folder, options.book);
    if (!gathered.added.empty()) take_in(gathered, options.book);
    std::vector<BookEdit> edits;
    for (const std::string& sound : gathered.sounds)
      if (!group.empty() && group != "master") edits.push_back({{"sounds", sound, "group"}, desk::value_of({{"text", group}}, {}), {}});
    json notes = gathered.notes;
    for (const EditOutcome& outcome : edit_book_file(options.book, edits).outcomes)
      if (!outcome.problem.empty()) notes.push_back(outcome.problem);
    return {{"sounds", gathered.sounds}, {"clips", gathered.clips}, {"notes", notes}, {"skipped", gathered.skipped}};
  }
  /// Returns the present text of a value. If the sound does not have the key itself, returns the text that it takes over.
  std::optional<std::string> old_value(const json& body, const BookPath& path) const {
    std::optional<std::string> its = book.value(path);
    if (!its && body.contains("like") && body["like"].is_string()) its = body["like"].get<std::string>();
    return its;
  }

  void add_playing() {
    http.post("/raise", [this](const Asked& asked) {
      const json body = body_of(asked);
      const std::string event = text_in(body, "event");
      const Raised raised = body.contains("place") && body["place"].is_array() && body["place"].size() == 3
                                ? manager.raise(Name(event), {}, Place{body["place"][0], body["place"][1], body["place"][2]})
                                : manager.raise(Name(event));
      return answer(json{{"outcome", to_text(raised.outcome)}});
    });
    http.post("/stop", [this](const Asked&) { return answer(json{{"outcome", to_text(manager.stop_all(Seconds{0.2}))}}); });
    http.post("/mute", [this](const Asked& asked) {
      const json body = body_of(asked);
      return answer(json{{"outcome", to_text(manager.set_mute(Name(text_in(body, "group")), body.value("mute", false)))}});
    });
    http.post("/gauge", [this](const Asked& asked) {
      const json body = body_of(asked);
      return answer(json{{"outcome", to_text(manager.set_gauge(Name(text_in(body, "gauge")), number_in(body, "value")))}});
    });
    http.post("/listener", [this](const Asked& asked) {
      if (!options.alone) return desk::problem("the game places the listener");
      const json body = body_of(asked);
      Listener listener;
      listener.place = {number_in(body, "x"), 0, number_in(body, "z")};
      return answer(json{{"outcome", to_text(manager.set_listener(0, listener))}});
    });
    // Takes are rendered apart from the game. Both requests give the same takes for the same seed.
    const auto auditioned = [this](const Asked& asked) {
      const auto number = [&](const char* key, std::size_t otherwise, std::size_t most) {
        const std::string text = asked.parameter(key);
        if (text.empty() || text.size() > 9 || text.find_first_not_of("0123456789") != std::string::npos) return otherwise;
        return std::min<std::size_t>(std::stoul(text), most);
      };
      const desk::AuditionAsked wanted{asked.parameter("name"), static_cast<int>(std::max<std::size_t>(1, number("times", 1, 16))),
                                       number("seed", 1, 999999999)};
      const Book now = book_for(wanted.name, true);
      if (asked.parameter("before").empty()) return desk::audition(wanted, now);
      const Book before = book_for(wanted.name, false);
      return desk::audition(wanted, now, &before);
    };
    http.get("/takes", [auditioned](const Asked& asked) { return answer(json{{"takes", auditioned(asked).takes}}); });
    http.get("/takes.wav", [auditioned](const Asked& asked) { return Answer{200, auditioned(asked).wav, "audio/wav"}; });
  }
};

Desk::Desk(SoundManager& manager, const DeskOptions& options) : state_(std::make_unique<State>(manager, options)) {}

Desk::~Desk() = default;

std::string Desk::address() const { return state_->http.address(); }

int Desk::osc_port() const { return state_->osc == nullptr ? 0 : state_->osc->port(); }

}  // namespace tidewater
