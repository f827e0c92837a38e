#include "author/book/read_tracks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <optional>
#include <utility>

#include "author/book/keys.hpp"
#include "bank/bank_data.hpp"
#include "base/nearest.hpp"

namespace tidewater {
namespace {

constexpr int rank_of_tracks = 9;  // music keeps its voices
constexpr std::int64_t most_bars = 10'000, most_beats = 64;
constexpr std::string_view example_of_parts = "parts = [ { name = \"round\", bars = 8, loop = true } ]";

/// The beats of the parts before `part`.
std::int64_t beats_before(const TrackDesign& track, std::size_t part) {
  std::int64_t bars = 0;
  for (std::size_t i = 0; i < part; ++i) bars += track.parts[i].bars;
  return bars * track.metre;
}

std::size_t loop_in(const TrackDesign& track) {
  return static_cast<std::size_t>(std::find_if(track.parts.begin(), track.parts.end(), [](const PartDesign& part) { return part.loop; }) -
                                  track.parts.begin());
}

/// "2 bars" is 2; nothing if the text is not a number of bars.
std::optional<std::int64_t> bars_in(std::string_view text) {
  std::int64_t bars = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), bars);
  std::string_view unit = text.substr(static_cast<std::size_t>(end - text.data()));
  while (unit.starts_with(' ')) unit.remove_prefix(1);
  return error == std::errc() && (unit == "bars" || unit == "bar") ? std::optional(bars) : std::nullopt;
}

}  // namespace

TrackReader::TrackReader(bool whole, SoundReader& sounds, Book& book, Problems& problems)
    : whole_(whole), sounds_(sounds), book_(book), problems_(problems) {}

void TrackReader::missing(const FilePlace& place, std::string message) {
  if (whole_) problems_.add(place, std::move(message));
}

void TrackReader::read(const toml::key& key, const toml::table& own) {
  const std::string name(key.str());
  const auto dotted = check_named(problems_, "tracks", name, own, fmt::format("track '{}'", name), keys_of("tracks"));
  if (!dotted.empty() && dotted.size() == own.size()) return;
  if (std::any_of(book_.sounds.begin(), book_.sounds.end(), [&](const BookSound& its) { return its.name == name; }))
    problems_.add(problems_.at(key), fmt::format("'{}' is a sound, too; tracks and sounds need different names", name));
  BookSound sound;
  sound.name = name;
  sound.place = problems_.at(key);
  sound.rank = rank_of_tracks;
  TrackDesign& track = sound.track.emplace();
  track_rows().read(problems_, own, track);
  if (own.contains("list") || own.contains("pause")) {
    if (!read_tracks_of_list(own, sound)) return;
    sound.settings = track_settings(own);
    book_.sounds.push_back(std::move(sound));
    return;
  }
  read_metre(own, track);
  read_parts(own, track);
  read_length(own, "stop-after", track, track.stop_after, &track.stop_after_bars);
  read_changes(own, name, track);
  name_track(own, "ending", name, track.ending);
  Keys table = own;
  for (const std::string_view own_key : {"fade-in", "fade-out"}) table.erase(own_key);
  static const toml::key loop("loop");
  static const toml::value<bool> goes_round(true);
  if (track.tempo.value == 0 && !table.contains("loop")) table.set(loop, goes_round);
  sounds_.read_track(table, sound);
  read_length(own, "fade-in", track, sound.fade_in);
  read_length(own, "fade-out", track, sound.fade_out);
  set_loops(own, sound);
  sound.settings = track_settings(own);
  book_.sounds.push_back(std::move(sound));
  if (BookSound& added = book_.sounds.back(); loop_in(*added.track) + 1 < added.track->parts.size()) add_ending(added);
}

bool TrackReader::read_tracks_of_list(const toml::table& own, BookSound& sound) {
  const toml::node* node = own.get("list");
  const toml::array* list = node == nullptr ? nullptr : node->as_array();
  if (list == nullptr || list->empty() || list->size() > most_listed) {
    problem(node == nullptr ? *own.get("pause") : *node,
            fmt::format("a list names its tracks: list = [\"calm\", \"dusk\"]; {} is the most", most_listed));
    return false;
  }
  for (const auto& [key, value] : own)
    if (key.str() != "list" && key.str() != "pause" && key.str() != "stand")
      problem(value, fmt::format("a list has its tracks, a stand and a pause; '{}' goes into the tracks", key.str()));
  for (const auto& item : *list) {
    const std::string name = item.value_or(std::string());
    if (name.empty()) {
      problem(item, "a list names tracks: list = [\"calm\", \"dusk\"]");
      continue;
    }
    sound.list.push_back(name);
    named_.push_back({sound.name, "list", name, problems_.at(item)});
  }
  return !sound.list.empty();
}

void TrackReader::fill_lists() {
  for (BookSound& sound : book_.sounds) {
    if (sound.list.empty()) continue;
    BookLayer& layer = sound.layers.emplace_back();
    layer.name = "tracks";
    layer.place = sound.place;
    BookChoice& choice = layer.choices.emplace_back();
    for (const std::string& name : sound.list)
      if (const BookSound* track = track_called(name); track != nullptr && !track->layers.empty() &&
                                                       !track->layers.front().choices.empty() &&
                                                       !track->layers.front().choices.front().clips.empty())
        choice.clips.push_back(track->layers.front().choices.front().clips.front()), layer.stream = track->layers.front().stream;
  }
}

void TrackReader::read_metre(const toml::table& own, TrackDesign& track) {
  const auto* written = text(problems_, own, "metre");
  if (written == nullptr) return;
  const std::size_t slash = written->find('/');
  const auto number = [](std::string_view text) {
    std::uint32_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    return error == std::errc() && end == text.data() + text.size() ? value : 0;
  };
  const std::string_view all = *written;
  const std::uint32_t beats = slash == std::string::npos ? 0 : number(all.substr(0, slash));
  const std::uint32_t unit = slash == std::string::npos ? 0 : number(all.substr(slash + 1));
  const bool is_power = unit != 0 && (unit & (unit - 1)) == 0;
  if (beats == 0 || beats > most_beats || !is_power || unit > most_beats)
    return problem(*own.get("metre"),
                   fmt::format("\"{}\" is no metre; write the beats of a bar and the note that a beat is, such as \"3/4\" "
                               "or \"7/8\": 1 to {} beats of a 1, 2, 4, 8, 16, 32 or 64",
                               *written, most_beats));
  track.metre = beats;
  track.unit = unit;
}

void TrackReader::read_parts(const toml::table& own, TrackDesign& track) {
  const toml::node* node = own.get("parts");
  const bool has_tempo = own.contains("tempo");
  for (const std::string_view key : {"metre", "first-beat", "parts"})
    if (own.contains(key) && !has_tempo) problem(*own.get(key), fmt::format("'{}' goes with a tempo, such as tempo = \"97 bpm\"", key));
  if (node == nullptr) {
    if (has_tempo) missing(problems_.at(*own.get("tempo")), fmt::format("a track with a tempo needs its parts: {}", example_of_parts));
    return;
  }
  const auto* list = node->as_array();
  if (list == nullptr || list->empty())
    return problem(*node, fmt::format("'parts' must be a list of one part or more: {}", example_of_parts));
  if (list->size() > most_parts_of_a_track)
    return problem(*node, fmt::format("there are {} parts; {} is the most", list->size(), most_parts_of_a_track));
  for (const auto& item : *list) read_part(item, track);
  if (std::count_if(track.parts.begin(), track.parts.end(), [](const PartDesign& part) { return part.loop; }) > 1)
    problem(*node, "two parts have loop = true; one part of a track goes round, until the track is left");
}

void TrackReader::read_part(const toml::node& item, TrackDesign& track) {
  const auto* table = item.as_table();
  PartDesign& part = track.parts.emplace_back();
  part.name = fmt::format("{}", track.parts.size());
  if (table == nullptr) return problem(item, "a part must be a table, such as { name = \"round\", bars = 8 }");
  check_keys(problems_, *table, "a part", keys_of("parts"));
  part_rows().read(problems_, *table, part);
  if (!table->contains("bars")) missing(problems_.at(item), fmt::format("part '{}' needs its length, such as bars = 8", part.name));
}

/// A length is a time or a number of bars. Bars become time, or stay bars if `bars` is given.
void TrackReader::read_length(const Keys& table, std::string_view key, const TrackDesign& track, Seconds& time, std::uint32_t* bars) {
  const toml::node* node = table.get(key);
  const auto count = node == nullptr ? std::nullopt : bars_in(node->value_or(std::string()));
  if (!count) {
    read_quantity(problems_, table, key, read_seconds, time);
    return;
  }
  if (*count < 0 || *count > most_bars) return problem(*node, fmt::format("{}: from 0 to {} bars", key, most_bars));
  if (track.tempo.value == 0)
    return problem(*node, fmt::format("{}: a number of bars goes with a tempo; give the track one, or write a time such as \"2 s\"", key));
  if (bars != nullptr) {
    *bars = static_cast<std::uint32_t>(*count);
    return;
  }
  time.value = static_cast<double>(*count * track.metre) * 60 / track.tempo.value;
}

void TrackReader::name_track(const Keys& table, std::string_view key, const std::string& by, std::string& into) {
  const auto* name = text(problems_, table, key);
  if (name == nullptr) return;
  into = *name;
  named_.push_back({by, std::string(key), *name, problems_.at(*table.get(key))});
}

void TrackReader::read_change(const Keys& table, const std::string& of, const TrackDesign& track, ChangeDesign& change) {
  change_rows().read(problems_, table, change);
  read_length(table, "over", track, change.over);
  name_track(table, "bridge", of, change.bridge);
  if (!change.bridge.empty() && !change.by) change.by = By::bridge;
  const toml::node* by = table.get("by");
  if (by != nullptr && change.by == By::bridge && change.bridge.empty())
    problem(*by, "by = \"bridge\" needs the track that leads over: bridge = \"rising\"");
  if (by != nullptr && change.by != By::bridge && !change.bridge.empty())
    problem(*by, fmt::format("by = \"{}\" and a bridge are two ways; keep one", by_words[static_cast<std::size_t>(*change.by)]));
  if (table.contains("over") && change.by.value_or(By::cross) != By::cross)
    problem(*table.get("over"), "'over' is the length of a crossing; it goes with by = \"cross\"");
}

void TrackReader::read_changes(const toml::table& own, const std::string& name, TrackDesign& track) {
  ChangeDesign any;
  read_change(own, name, track, any);
  if (any != ChangeDesign{}) track.changes.push_back(any);
  const toml::node* node = own.get("from");
  if (node == nullptr) return;
  const auto* from = node->as_table();
  if (from == nullptr)
    return problem(*node, fmt::format("'from' has a table for each track that this one may follow: [tracks.{}.from.calm]", name));
  for (const auto& [key, value] : *from) {
    const auto* pair = value.as_table();
    if (pair == nullptr) {
      problem(value, fmt::format("a change is a table: [tracks.{}.from.{}]", name, key.str()));
      continue;
    }
    check_keys(problems_, *pair, fmt::format("the change from '{}' to '{}'", key.str(), name), keys_of("from"));
    named_.push_back({name, "from", std::string(key.str()), problems_.at(key)});
    ChangeDesign& change = track.changes.emplace_back();
    change.from = key.str();
    read_change(*pair, name, track, change);
  }
  if (track.changes.size() > most_changes)
    problem(*node, fmt::format("there are changes from {} tracks; {} is the most", track.changes.size(), most_changes));
}

/// Which part of each stem goes round.
void TrackReader::set_loops(const toml::table& own, BookSound& sound) {
  const TrackDesign& track = *sound.track;
  const toml::node* loop = own.get("loop");
  if (track.tempo.value != 0 && loop != nullptr) return problem(*loop, "a track with parts has its loop in them: { ..., loop = true }");
  for (BookLayer& layer : sound.layers) {
    for (const BookChoice& choice : layer.choices)
      if (choice.clips.size() > 1 || !layer.by.empty()) {
        problems_.add(layer.place, "a stem has one clip: what varies is which track plays");
        break;
      }
    if (track.tempo.value == 0) continue;
    const std::size_t part = loop_in(track);
    if (part == track.parts.size()) continue;
    layer.loop.between = BookLoop::Between::beats;
    layer.loop.place = layer.place;
    layer.loop.tempo = track.tempo;
    layer.loop.first_beat = track.first_beat;
    layer.loop.from_beat = beats_before(track, part);
    layer.loop.to_beat = beats_before(track, part + 1);
  }
}

/// The parts behind the loop are a track of their own, since they play when the loop is left.
void TrackReader::add_ending(BookSound& sound) {
  TrackDesign& track = *sound.track;
  if (!track.ending.empty()) {
    problems_.add(sound.place, fmt::format("track '{}' has parts behind its loop, and an ending besides; keep one of the two", sound.name));
    return;
  }
  const std::size_t loop = loop_in(track);
  track.ending = sound.name + ".ending";
  BookSound ending = sound;
  ending.name = track.ending;
  ending.ending_of = sound.name;
  ending.fade_in = {};
  ending.track->first_beat = before_ending;
  ending.track->ending.clear();
  ending.track->changes.clear();
  ending.track->goes_on = false;
  ending.track->stop_after = {};
  ending.track->stop_after_bars = 0;
  const auto behind = static_cast<std::ptrdiff_t>(loop) + 1;
  ending.track->parts.erase(ending.track->parts.begin(), ending.track->parts.begin() + behind);
  track.parts.erase(track.parts.begin() + behind, track.parts.end());
  for (BookLayer& layer : ending.layers) layer.loop.between = BookLoop::Between::behind;
  book_.sounds.push_back(std::move(ending));  // `sound` may have moved
}

std::vector<BookSetting> track_settings(const toml::table& own) {
  std::vector<BookSetting> settings;
  for (const Row<TrackDesign>& row : track_rows().rows()) {
    const toml::node* node = own.get(row.says.key);
    if (node == nullptr && row.says.standard.empty()) continue;
    settings.push_back({std::string(row.says.key), node == nullptr ? std::string(row.says.standard) : in_book(*node),
                        node == nullptr ? "default" : "own"});
  }
  return settings;
}

const BookSound* TrackReader::track_called(std::string_view name) const {
  const auto found =
      std::find_if(book_.sounds.begin(), book_.sounds.end(), [&](const BookSound& its) { return its.track && its.name == name; });
  return found == book_.sounds.end() ? nullptr : &*found;
}

void TrackReader::check_names() {
  std::vector<std::string_view> known;
  for (const BookSound& sound : book_.sounds)
    if (sound.track && sound.ending_of.empty()) known.push_back(sound.name);
  for (const Named& its : named_) {
    const BookSound* track = track_called(its.name);
    if (track == nullptr)
      missing(its.place,
              fmt::format("there is no track '{}'{}", its.name, problems_.may_look() ? did_you_mean(its.name, known) : std::string()));
    else if (its.name == its.by)
      problems_.add(its.place, its.key == "from" ? fmt::format("'{}' cannot follow itself: asking for what plays changes nothing", its.by)
                                                 : fmt::format("'{}' cannot be its own {}; name another track", its.by, its.key));
    else if (its.key != "from" &&
             std::any_of(track->layers.begin(), track->layers.end(), [](const BookLayer& l) { return l.loop.loops(); }))
      problems_.add(its.place,
                    fmt::format("'{}' never ends by itself, and {} has to: give it parts without a loop, or loop = false", its.name,
                                its.key == "ending" ? "an ending"
                                : its.key == "list" ? "a track of a list"
                                                    : "a bridge"));
    else if (!track->list.empty())
      problems_.add(its.place, fmt::format("'{}' is a list itself; name its tracks", its.name));
    else if (its.key == "list" && track->track->stand_name() != track_called(its.by)->track->stand_name())
      problems_.add(its.place, fmt::format("'{}' has another stand than the list; give both the same", its.name));
  }
}

}  // namespace tidewater
