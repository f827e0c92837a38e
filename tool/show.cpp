#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/nearest.hpp"
#include "columns.hpp"
#include "commands.hpp"
#include "print.hpp"
#include "show_one.hpp"
#include "sizes.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater::tool {
namespace {

/// A bank's book has no lines.
bool is_of_bank(const Book& book) { return book.file.ends_with(".tidebank"); }
std::string line_head(const Book& book) { return is_of_bank(book) ? "" : ">line"; }
std::string line_of(const FilePlace& place) { return place.line == 0 ? "" : fmt::format("{}", place.line); }

std::string about(const Bank& bank, const std::string& file) {
  std::string text = fmt::format("{}: bank '{}'", file, bank.name());
  if (!bank.target().empty()) text += fmt::format(", for {}", bank.target());
  if (!bank.language().empty()) text += fmt::format(", in {}", bank.language());
  text += fmt::format("; {} clip{}, {} in memory at {:.0f} Hz; content {:016x}\n", bank.clips(), bank.clips() == 1 ? "" : "s",
                      size_text(bank.sample_bytes()), bank.rate().value, bank.content().value);
  for (const std::string_view base : bank.bases())
    text += fmt::format("  {} '{}', which is loaded before it\n", bank.is_patch() ? "changes" : "has clips in", base);
  return text + "\n";
}

std::string list_groups(const Book& book) {
  Table table({"group", "parent", ">gain", ">sounds"});
  for (const auto& group : book.groups)
    table.row(
        {group.name, group.parent.empty() ? "-" : group.parent, group.muted ? "muted" : to_text(group.gain),
         fmt::format("{}", std::count_if(book.sounds.begin(), book.sounds.end(), [&](const auto& s) { return s.group == group.name; }))});
  return table.text();
}

std::string list_sounds(const Book& book) {
  Table table({"sound", line_head(book), "group", ">clips", "more"});
  for (const auto& sound : book.sounds) {
    if (sound.track) continue;
    std::set<std::string> clips, by;
    sound.each_clip([&](const BookLayer&, const BookClip& clip) { clips.insert(clip.path); });
    for (const auto& layer : sound.layers) by.insert(layer.by.begin(), layer.by.end());
    std::string more;
    const auto add = [&](const std::string& text) { more += (more.empty() ? "" : ", ") + text; };
    if (sound.layers.size() > 1) add(fmt::format("{} layers", sound.layers.size()));
    const auto loops = [](const BookLayer& layer) { return layer.loop.loops(); };
    if (std::any_of(sound.layers.begin(), sound.layers.end(), loops)) add("loops");
    if (!by.empty()) add(fmt::format("by {}", fmt::join(by, ", ")));
    table.row({sound.name, line_of(sound.place), sound.group, fmt::format("{}", clips.size()), more});
  }
  return table.empty() ? std::string() : table.text() + "\n";
}

/// "opening 4, round 8 (loop)"
std::string parts_of(const TrackDesign& track) {
  std::string text;
  for (const PartDesign& part : track.parts)
    text += fmt::format("{}{} {}{}", text.empty() ? "" : ", ", part.name, part.bars, part.loop ? " (loop)" : "");
  return text;
}

std::string list_tracks(const Book& book) {
  Table table({"track", line_head(book), "stand", ">tempo", "parts, in bars", ">stems"});
  for (const auto& sound : book.sounds)
    if (sound.track)
      table.row({sound.name, line_of(sound.place), std::string(sound.track->stand_name()),
                 sound.track->tempo.value > 0 ? to_text(sound.track->tempo) : "-",
                 sound.list.empty() ? parts_of(*sound.track) : fmt::format("a list: {}", fmt::join(sound.list, ", ")),
                 fmt::format("{}", sound.list.empty() ? sound.layers.size() : 0)});
  return table.empty() ? std::string() : table.text() + "\n";
}

std::string list_all(const Book& book) {
  std::string out;
  Table events({"event", line_head(book), "does"});
  for (const auto& event : book.events) events.row({event.name, line_of(event.place), what_it_does(event)});
  out += events.text() + "\n" + list_sounds(book) + list_tracks(book) + list_groups(book);
  Table traits({"trait", "values"});
  for (const auto& [name, values] : traits_of(book)) traits.row({name, fmt::format("{}", fmt::join(values, ", "))});
  if (!traits.empty()) out += "\n" + traits.text();
  Table gauges({"gauge", line_head(book), ">from", ">to", ">default", "smoothing"});
  for (const auto& gauge : book.gauges)
    gauges.row({gauge.name, line_of(gauge.place), fmt::format("{:g}", gauge.from), fmt::format("{:g}", gauge.to),
                fmt::format("{:g}", gauge.initial), to_text(gauge.smoothing)});
  if (!gauges.empty()) out += "\n" + gauges.text();
  Table moods({"mood", line_head(book), ">rank", "fade-in", "fade-out", "changes"});
  for (const auto& mood : book.moods)
    moods.row(
        {mood.name, line_of(mood.place), fmt::format("{}", mood.rank), to_text(mood.fade_in), to_text(mood.fade_out), changes_of(mood)});
  if (!moods.empty()) out += "\n" + moods.text();
  Table scopes({"scope", line_head(book), "parent", "fade-out", "pause-fade", "grace"});
  for (const auto& scope : book.scopes)
    if (!scope.parent.empty())
      scopes.row(
          {scope.name, line_of(scope.place), scope.parent, to_text(scope.fade_out), to_text(scope.pause_fade), to_text(scope.grace)});
  if (!scopes.empty()) out += "\n" + scopes.text();
  Table banks({"bank", line_head(book), "has"});
  for (const auto& bank : book.banks)
    banks.row({bank.name, line_of(bank.place), fmt::format("{}", fmt::join(bank.events.empty() ? bank.clips : bank.events, ", "))});
  if (!banks.empty()) out += "\n" + banks.text();
  Table targets({"target", line_head(book), ">rate", "languages"});
  for (const auto& target : book.targets)
    targets.row({target.name, line_of(target.place), target.rate == Hertz{} ? "48000 Hz" : to_text(target.rate),
                 fmt::format("{}", fmt::join(target.languages.empty() ? book.languages : target.languages, ", "))});
  if (!targets.empty()) out += "\n" + targets.text();
  return out + fmt::format("\n  next       tidewater show {} NAME\n", book.file);
}

template <class T>
const T* named(const std::vector<T>& list, const std::string& name) {
  const auto found = std::find_if(list.begin(), list.end(), [&](const T& one) { return one.name == name; });
  return found == list.end() ? nullptr : &*found;
}

/// All that has this name: an event and its sound are often called the same.
std::string show_named(const Book& book, const std::string& name, bool all) {
  std::string out;
  const auto add = [&](const std::string& text) { out += (out.empty() || text.empty() ? "" : "\n") + text; };
  if (const auto* event = named(book.events, name)) add(show_event(book, *event));
  if (const auto* sound = named(book.sounds, name)) add(show_sound(book, *sound, all));
  if (const auto* group = named(book.groups, name)) add(show_group(book, *group));
  if (const auto* gauge = named(book.gauges, name)) add(show_gauge(book, *gauge));
  if (const auto* mood = named(book.moods, name)) add(show_mood(book, *mood));
  if (const auto* scope = named(book.scopes, name)) add(show_scope(book, *scope));
  if (const auto* bank = named(book.banks, name)) add(show_bank_of(*bank));
  if (const auto* target = named(book.targets, name)) add(show_target(*target));
  add(show_trait(book, name));
  return out;
}

std::string unknown(const Book& book, const std::string& name) {
  std::vector<std::string_view> known;
  for (const auto& event : book.events) known.emplace_back(event.name);
  for (const auto& sound : book.sounds) known.emplace_back(sound.name);
  for (const auto& group : book.groups) known.emplace_back(group.name);
  for (const auto& gauge : book.gauges) known.emplace_back(gauge.name);
  for (const auto& mood : book.moods) known.emplace_back(mood.name);
  for (const auto& scope : book.scopes) known.emplace_back(scope.name);
  for (const auto& bank : book.banks) known.emplace_back(bank.name);
  for (const auto& target : book.targets) known.emplace_back(target.name);
  const auto traits = traits_of(book);
  for (const auto& [trait, values] : traits) known.emplace_back(trait);
  const std::string near = did_you_mean(name, known);
  return fmt::format("{}: nothing in it is called '{}'{}", book.file, name,
                     near.empty() ? fmt::format("; `tidewater show {}` lists what there is", book.file) : near);
}

using Json = nlohmann::ordered_json;

Json json_of(const BookSound& sound) {
  Json its = {{"name", sound.name}, {"line", sound.place.line}, {"group", sound.group}};
  if (sound.track) its["stand"] = sound.track->stand_name();
  Json keys = Json::object();
  for (const auto& setting : sound.settings) keys[setting.key] = {{"value", setting.value}, {"from", setting.from}};
  its["keys"] = keys;
  std::set<std::string> clips;
  sound.each_clip([&](const BookLayer&, const BookClip& clip) { clips.insert(clip.path); });
  its["clips"] = clips;
  return its;
}

Json json_of(const BookEvent& event) {
  Json responses = Json::array();
  for (const auto& its : event.responses) {
    Json one = {{std::string(word_of(its.verb)), its.target}};
    const VerbRow& row = row_of(its.verb);
    if (row.target == TargetKind::gauge)
      one["to"] = its.value;
    else if (!row.value.empty() && (row.value_is_needed || its.value != 0))
      one[std::string(row.value)] = to_text(its.level());
    if (its.whom) one["for"] = whom_words[static_cast<std::size_t>(*its.whom)];
    if (its.delay.high > its.delay.low)
      one["delay"] = to_text(its.delay.low) + " .. " + to_text(its.delay.high);
    else if (its.delay.high > Seconds{})
      one["delay"] = to_text(its.delay.low);
    if (!row.time.empty() && its.time > Seconds{}) one[std::string(row.time)] = to_text(its.time);
    if (its.on) one["on"] = word_of(*its.on);
    if (its.left_out > 0) one["chance"] = 1 - its.left_out;
    for (const BookTrait& trait : its.when) one["when"][trait.name].push_back(trait.value);
    responses.push_back(std::move(one));
  }
  return {{"name", event.name}, {"line", event.place.line}, {"responses", responses}};
}

Json json_of(const BookDuck& duck) {
  return {{"for", duck.key},
          {"by", to_text(duck.by)},
          {"from", to_text(duck.from)},
          {"attack", to_text(duck.attack)},
          {"hold", to_text(duck.hold)},
          {"release", to_text(duck.release)}};
}

Json json_of(const BookGroup& group) {
  Json ducks = Json::array();
  for (const BookDuck& duck : group.ducks) ducks.push_back(json_of(duck));
  return {{"name", group.name},
          {"line", group.place.line},
          {"parent", group.parent},
          {"gain", to_text(group.gain)},
          {"mute", group.muted},
          {"limit", group.limit > 0 ? Json(group.limit) : Json(nullptr)},
          {"when-full", when_full_words[static_cast<std::size_t>(group.when_full)]},
          {"scope", group.scope},
          {"low-pass", to_text(group.low_pass)},
          {"high-pass", to_text(group.high_pass)},
          {"player", group.player},
          {"duck", ducks}};
}

Json json_of(const BookMood& mood) {
  Json groups = Json::object();
  for (const MoodGroupDesign& its : mood.groups)
    groups[its.group] = {{"gain", its.sets_gain ? Json(to_text(its.gain)) : Json(nullptr)},
                         {"low-pass", to_text(its.low_pass)},
                         {"high-pass", to_text(its.high_pass)}};
  return {{"name", mood.name},
          {"line", mood.place.line},
          {"rank", mood.rank},
          {"fade-in", to_text(mood.fade_in)},
          {"fade-out", to_text(mood.fade_out)},
          {"groups", groups}};
}

Json json_of(const BookGauge& gauge) {
  return {{"name", gauge.name}, {"line", gauge.place.line}, {"from", gauge.from},
          {"to", gauge.to},     {"default", gauge.initial}, {"smoothing", to_text(gauge.smoothing)}};
}

Json json_of(const BookScope& scope) {
  return {{"name", scope.name},
          {"line", scope.place.line},
          {"parent", scope.parent},
          {"fade-out", to_text(scope.fade_out)},
          {"pause-fade", to_text(scope.pause_fade)},
          {"grace", to_text(scope.grace)},
          {"mood", scope.mood}};
}

Json json_of(const BookBank& bank) {
  return {{"name", bank.name}, {"line", bank.place.line}, {"events", bank.events}, {"clips", bank.clips}, {"needs", bank.needs}};
}

Json json_of(const BookTarget& target) {
  return {{"name", target.name},
          {"line", target.place.line},
          {"rate", target.rate == Hertz{} ? "48000 Hz" : to_text(target.rate)},
          {"languages", target.languages}};
}

/// Everything in the book, or only items called `name`, as one JSON object of lists.
int print_json(const Book& book, const std::string& name) {
  Json all = {{"book", book.name}, {"file", book.file}};
  bool any = name.empty();
  const auto add = [&](const char* key, const auto& items) {
    Json list = Json::array();
    for (const auto& item : items)
      if (name.empty() || item.name == name) list.push_back(json_of(item));
    any = any || !list.empty();
    if (name.empty() || !list.empty()) all[key] = std::move(list);
  };
  std::vector<BookSound> sounds, tracks;
  for (const BookSound& sound : book.sounds) (sound.track ? tracks : sounds).push_back(sound);
  add("events", book.events), add("sounds", sounds), add("tracks", tracks), add("groups", book.groups);
  add("moods", book.moods), add("gauges", book.gauges), add("scopes", book.scopes), add("banks", book.banks), add("targets", book.targets);
  if (!any) throw Error(unknown(book, name));
  say("{}\n", all.dump(2, ' ', false, Json::error_handler_t::replace));
  return fine;
}

int show_bank(const ShowCall& call) {
  const Bank bank = open_bank_with_names(call.book);
  const Book book = book_of(bank, call.book);
  if (call.json) return print_json(book, call.name);
  const std::string text = call.name.empty() ? about(bank, call.book) + list_all(book) : show_named(book, call.name, call.all);
  if (text.empty()) throw Error(unknown(book, call.name));
  say("{}", text);
  return fine;
}

}  // namespace

int show(const ShowCall& call) {
  if (call.book.ends_with(".tidebank")) return show_bank(call);
  const ReadBook read = read_book(call.book);
  std::string problems;
  for (const auto& problem : read.problems) problems += to_text(problem) + "\n";
  if (read.book.file.empty()) throw Error(problems.substr(0, problems.size() - 1));
  if (call.json && problems.empty()) return print_json(read.book, call.name);
  const std::string text = call.name.empty() ? fmt::format("{}: book '{}'\n\n", read.book.file, read.book.name) + list_all(read.book)
                                             : show_named(read.book, call.name, call.all);
  if (text.empty()) throw Error(problems + unknown(read.book, call.name));
  say("{}", text);
  if (problems.empty()) return fine;
  std::fflush(stdout);
  complain("\n{}", problems);
  return bad_input;
}

}  // namespace tidewater::tool
