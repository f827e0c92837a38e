#include "show_one.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "columns.hpp"
#include "tidewater/author/advice.hpp"

namespace tidewater::tool {
namespace {

/// Looks at a group, and at those above it, until `take` returns true. Returns the name of that group, or nothing.
template <class Take>
std::string up_from(const Book& book, std::string name, Take take) {
  while (!name.empty()) {
    const auto group = std::find_if(book.groups.begin(), book.groups.end(), [&](const BookGroup& g) { return g.name == name; });
    if (group == book.groups.end()) break;
    if (take(*group)) return name;
    name = group->parent;
  }
  return {};
}

/// A value as it holds, and whose it is.
struct Held {
  std::string value, from;
};

std::string loudness(Decibels level) { return fmt::format("\"{:g} LUFS\"", level.value); }

Held level_of(const Book& book, const std::string& group) {
  std::optional<Decibels> level;
  const std::string from = up_from(book, group, [&](const BookGroup& g) { return (level = g.level).has_value(); });
  if (level) return {loudness(*level), "group " + from};
  if (book.level) return {loudness(*book.level), "book"};
  return {"as the clips are", "default"};
}

Held quality_of(const Book& book, const std::string& group) {
  std::optional<Quality> quality;
  const std::string from = up_from(book, group, [&](const BookGroup& g) { return (quality = g.quality).has_value(); });
  const std::string word = fmt::format("\"{}\"", quality_words[static_cast<std::size_t>(quality.value_or(Quality::standard))]);
  return from.empty() ? Held{word, "default"} : Held{word, "group " + from};
}

Held preload_of(const Book& book, const std::string& group) {
  std::optional<bool> preload;
  const std::string from = up_from(book, group, [&](const BookGroup& g) { return (preload = g.preload).has_value(); });
  return {preload.value_or(true) ? "true" : "false", from.empty() ? "default" : "group " + from};
}

Held group_scope_of(const Book& book, const std::string& group) {
  std::string scope;
  const std::string from = up_from(book, group, [&](const BookGroup& g) { return !(scope = g.scope).empty(); });
  return {from.empty() ? book.scopes.front().name : scope, from.empty() ? "default" : "group " + from};
}

template <class T>
std::string as_range(const Range<T>& range) {
  return range.low == range.high ? to_text(range.low) : fmt::format("{} .. {}", to_text(range.low), to_text(range.high));
}

template <class T>
Range<T> sum(const Range<T>& a, const Range<T>& b) {
  return {T{a.low.value + b.low.value}, T{a.high.value + b.high.value}};
}

std::string loop_of(const BookLoop& loop) {
  std::string text;
  switch (loop.between) {
    case BookLoop::Between::none: return "no";
    case BookLoop::Between::whole: text = "all of it"; break;
    case BookLoop::Between::seconds: text = as_range(loop.time); break;
    case BookLoop::Between::frames: text = fmt::format("frames {} .. {}", loop.frames.low.value, loop.frames.high.value); break;
    case BookLoop::Between::file: text = "as its file says"; break;
    case BookLoop::Between::beats: text = fmt::format("beats {} .. {}", loop.from_beat, loop.to_beat); break;
    case BookLoop::Between::behind: return fmt::format("no; behind beat {}", loop.to_beat);
  }
  return loop.crossfade > Seconds{} ? fmt::format("{}, crossfade {}", text, to_text(loop.crossfade)) : text;
}

std::size_t clips_in(const BookLayer& layer) {
  std::set<std::string> clips;
  for (const auto& choice : layer.choices)
    for (const auto& clip : choice.clips) clips.insert(clip.path);
  return clips.size();
}

/// What each layer is drawn from, with what the sound says added.
std::string layers_of(const BookSound& sound) {
  Table table({"layer", ">clips", "gain", "pitch", "delay", "start at", "loops", ">chance", "pick", "streams"});
  for (const auto& layer : sound.layers)
    table.row({layer.name.empty() ? "-" : layer.name, fmt::format("{}", clips_in(layer)), as_range(sum(sound.gain, layer.gain)),
               as_range(sum(sound.pitch, layer.pitch)), as_range(sum(sound.delay, layer.delay)),
               layer.start_anywhere ? "anywhere" : as_range(layer.start_at), loop_of(layer.loop), fmt::format("{:g} %", layer.chance * 100),
               std::string(pick_words[static_cast<std::size_t>(layer.pick)]),
               !layer.stream   ? "by length"
               : *layer.stream ? "yes"
                               : "no"});
  return "\n  each layer, with what the sound says added\n" + table.text();
}

std::string clips_of(const BookLayer& layer, const std::set<std::string>& placeholders) {
  std::string out = fmt::format("\n  {}\n", layer.name.empty() ? "clips" : "clips of layer '" + layer.name + "'");
  for (const auto& choice : layer.choices) {
    std::string when;
    for (std::size_t i = 0; i < choice.values.size(); ++i)
      when += fmt::format("{}{} = {}", i == 0 ? "" : ", ", layer.by[i], choice.values[i]);
    if (!layer.by.empty()) out += fmt::format("    {}\n", when.empty() ? "otherwise" : when);
    const std::string indent(layer.by.empty() ? 4 : 6, ' ');
    if (choice.clips.empty()) out += fmt::format("{}(none: silent)\n", indent);
    for (const auto& clip : choice.clips)
      out += fmt::format("{}{}{}{}\n", indent, clip.path, clip.weight == 1 ? "" : fmt::format("  weight {}", clip.weight),
                         placeholders.contains(clip.path) ? "  (placeholder)" : "");
  }
  return out;
}

/// Keys that layers have for themselves where a sound has layers.
bool goes_into_layers(std::string_view key) {
  if (key == "gain" || key == "pitch" || key == "delay" || key == "clips") return false;
  const auto& keys = book_keys();
  return std::any_of(keys.begin(), keys.end(), [&](const BookKey& k) { return k.section == "layers" && k.key == key; });
}

/// Long lists are shown below, one to a line.
std::string short_value(const BookSetting& setting) {
  constexpr std::size_t most = 48;
  return width_of(setting.value) <= most ? setting.value : "(below)";
}

}  // namespace

std::string title(const FilePlace& place, std::string_view what, const std::string& name) {
  if (place.line == 0) return fmt::format("{}: {} '{}'\n\n", place.file, what, name);
  return fmt::format("{}:{}: {} '{}'\n\n", place.file, place.line, what, name);
}

std::string show_sound(const Book& book, const BookSound& sound, bool all) {
  Book only = book;
  only.sounds = {sound};
  const std::set<std::string> placeholders = placeholders_of(only);
  const bool layered = sound.layers.size() > 1 || (!sound.layers.empty() && !sound.layers.front().name.empty());
  Table table({"key", "value", "from"});
  std::size_t left_out = 0;
  std::string below;
  for (const auto& setting : sound.settings) {
    if (layered && goes_into_layers(setting.key)) continue;
    const bool of_a_group = setting.key == "quality" && quality_of(book, sound.group).from != "default";
    if (!all && setting.from == "default" && setting.key != "gain" && setting.key != "group" && !of_a_group) {
      ++left_out;
      continue;
    }
    if (short_value(setting) != setting.value && setting.key != "clips" && setting.key != "layers")
      below += fmt::format("\n  {}\n    {}\n", setting.key, setting.value);
    if (setting.key == "quality" && setting.from == "default") {
      const Held quality = quality_of(book, sound.group);
      table.row({setting.key, quality.value, quality.from});
    } else {
      table.row({setting.key, short_value(setting), setting.from});
    }
    if (setting.key == "gain") {
      const Held level = level_of(book, sound.group);
      table.row({"(level)", level.value, level.from});
    }
  }
  std::string out = title(sound.place, sound.kind(), sound.name) + table.text();
  if (left_out > 0) out += fmt::format("\n  {} more keys have their defaults; --all shows them\n", left_out);
  out += below;
  if (layered) out += layers_of(sound);
  for (const auto& layer : sound.layers) out += clips_of(layer, placeholders);
  std::string events;
  for (const auto& event : book.events)
    for (const auto& response : event.responses)
      if (response.acts_on_sound() && response.target == sound.name)
        events += fmt::format("{}{} {}s", events.empty() ? "" : ", ", event.name, word_of(response.verb));
  return out + fmt::format("\n  events: {}\n", events.empty() ? fmt::format("none {} it", sound.track ? "plays" : "starts") : events);
}

std::string show_gauge(const Book& book, const BookGauge& gauge) {
  Table table({"key", "value"});
  table.row({"from", fmt::format("{:g}", gauge.from)});
  table.row({"to", fmt::format("{:g}", gauge.to)});
  table.row({"default", fmt::format("{:g}", gauge.initial)});
  table.row({"smoothing", to_text(gauge.smoothing)});
  std::string followers;
  for (const auto& sound : book.sounds) {
    const auto goes_by = [&](const auto& follow) {
      return std::any_of(follow.begin(), follow.end(), [&](const FollowDesign& its) { return its.gauge == gauge.name; });
    };
    if (goes_by(sound.follow) ||
        std::any_of(sound.layers.begin(), sound.layers.end(), [&](const BookLayer& l) { return goes_by(l.follow); }))
      followers += (followers.empty() ? "" : ", ") + sound.name;
  }
  return title(gauge.place, "gauge", gauge.name) + table.text() +
         fmt::format("\n  followed by: {}\n", followers.empty() ? "no sound" : followers);
}

std::string show_bank_of(const BookBank& bank) {
  Table table({"key", "value"});
  const auto list = [&](const char* key, const std::vector<std::string>& values) {
    if (!values.empty()) table.row({key, fmt::format("{}", fmt::join(values, ", "))});
  };
  list("events", bank.events);
  list("clips", bank.clips);
  list("needs", bank.needs);
  return title(bank.place, "bank", bank.name) + table.text();
}

namespace {

void add_ways(Table& table, const BookWays& ways, const std::string& of) {
  const auto add = [&](const char* key, const std::string& value) { table.row({key, value, of}); };
  if (ways.samples) add("samples", std::string(samples_words[static_cast<std::size_t>(*ways.samples)]));
  if (ways.mono) add("mono", *ways.mono ? "true" : "false");
  if (ways.stream_from) add("stream-from", to_text(*ways.stream_from));
  if (ways.codec) add("codec", std::string(codec_words[static_cast<std::size_t>(*ways.codec)]));
  if (ways.quality) add("quality", fmt::format("{:g} %", *ways.quality * 100));
}

}  // namespace

std::string show_target(const BookTarget& target) {
  Table table({"key", "value", "of"});
  table.row({"rate", target.rate == Hertz{} ? "48000 Hz" : to_text(target.rate), "all"});
  table.row({"names", std::string(names_words[static_cast<std::size_t>(target.names)]), "all"});
  if (!target.languages.empty()) table.row({"languages", fmt::format("{}", fmt::join(target.languages, ", ")), "all"});
  add_ways(table, target, "all");
  for (const auto& [group, ways] : target.groups) add_ways(table, ways, "group " + group);
  return title(target.place, "target", target.name) + table.text();
}

namespace {

/// Arguments of a response; "-" for those that its verb does not take.
struct ResponseWords {
  std::string whom, value, delay, chance, when;
};

ResponseWords words_of(const BookResponse& response) {
  const VerbRow& row = row_of(response.verb);
  ResponseWords its;
  its.whom = response.whom ? std::string(whom_words[static_cast<std::size_t>(*response.whom)]) : row.whom.empty() ? "-" : "emitter or all";
  its.value = row.value.empty() || (!row.value_is_needed && response.value == 0) ? "-"
              : row.target == TargetKind::gauge                                  ? fmt::format("{:g}", response.value)
                                                                                 : to_text(response.level());
  its.delay = to_text(response.delay.low);
  if (response.delay.high > response.delay.low) its.delay += " .. " + to_text(response.delay.high);
  if (response.on) its.delay += response.on == On::now ? std::string(", at once") : fmt::format(", on the next {}", word_of(*response.on));
  its.chance = fmt::format("{:g} %", 100 * (1 - response.left_out));
  for (const BookTrait& trait : response.when) its.when += fmt::format("{}{} = {}", its.when.empty() ? "" : ", ", trait.name, trait.value);
  if (its.when.empty()) its.when = "always";
  return its;
}

}  // namespace

std::string what_it_does(const BookEvent& event) {
  std::string text;
  for (const auto& response : event.responses) {
    const ResponseWords its = words_of(response);
    text += fmt::format("{}{} {}", text.empty() ? "" : "; ", word_of(response.verb), response.target);
    if (response.whom) text += fmt::format(" for {}", its.whom);
    if (its.value != "-") text += fmt::format("{} {}", row_of(response.verb).value == "to" ? " to" : " by", its.value);
    if (response.delay.high > Seconds{}) text += fmt::format(" after {}", its.delay);
    if (!row_of(response.verb).time.empty() && response.time > Seconds{}) text += fmt::format(" over {}", to_text(response.time));
    if (response.left_out > 0) text += fmt::format(", {} of the times", its.chance);
    if (!response.when.empty()) text += fmt::format(", when {}", its.when);
  }
  return text;
}

std::string show_event(const Book& book, const BookEvent& event) {
  const auto any = [&](auto is) { return std::any_of(event.responses.begin(), event.responses.end(), is); };
  const bool whom = any([](const BookResponse& its) { return its.whom.has_value(); });
  const bool value = any([](const BookResponse& its) { return words_of(its).value != "-"; });
  const bool chance = any([](const BookResponse& its) { return its.left_out > 0; });
  const bool when = any([](const BookResponse& its) { return !its.when.empty(); });
  // Columns that no response needs are left out.
  const auto some_of = [&](std::vector<std::string> cells) {
    std::size_t at = 0;
    std::erase_if(cells, [&, shown = std::array{true, true, whom, value, true, true, chance, when, true}](const std::string&) {
      return !shown[at++];
    });
    return cells;
  };
  Table table(some_of({"does", "what", "for", "to", "after", "over", "chance", "when", "goes by"}));
  for (const auto& response : event.responses) {
    std::set<std::string> by;
    const auto sound = std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& s) { return s.name == response.target; });
    if (sound != book.sounds.end())
      for (const auto& layer : sound->layers) by.insert(layer.by.begin(), layer.by.end());
    const VerbRow& verb = row_of(response.verb);
    const ResponseWords its = words_of(response);
    table.row(some_of({std::string(word_of(response.verb)), response.target, its.whom, its.value, its.delay,
                       verb.time.empty()           ? "-"
                       : response.time > Seconds{} ? to_text(response.time)
                       : verb.time == "fade"       ? "its fade-out"
                                                   : "at once",
                       its.chance, its.when, !verb.starts || by.empty() ? "-" : fmt::format("{}", fmt::join(by, ", "))}));
  }
  return title(event.place, "event", event.name) + table.text();
}

/// "-8 dB for voices, -4 dB for alerts"
std::string ducks_text(const std::vector<BookDuck>& ducks) {
  std::string text;
  for (const BookDuck& duck : ducks) text += fmt::format("{}{} for {}", text.empty() ? "" : ", ", to_text(duck.by), duck.key);
  return text;
}

std::string show_group(const Book& book, const BookGroup& group) {
  const Held level = level_of(book, group.name);
  const Held quality = quality_of(book, group.name), preload = preload_of(book, group.name), scope = group_scope_of(book, group.name);
  const auto filter = [](Hertz corner) { return corner.value > 0 ? to_text(corner) : std::string("none"); };
  Table table({"key", "value", "from"});
  const auto own = [](bool is_own) { return is_own ? "own" : "default"; };
  table.row(
      {"parent", group.parent.empty() ? "none: it is the master" : group.parent, own(!group.parent.empty() && group.parent != "master")});
  table.row({"gain", to_text(group.gain), own(group.gain != Decibels{})});
  table.row({"mute", group.muted ? "true" : "false", own(group.muted)});
  table.row({"low-pass", filter(group.low_pass), own(group.low_pass.value > 0)});
  table.row({"high-pass", filter(group.high_pass), own(group.high_pass.value > 0)});
  table.row({"limit", group.limit > 0 ? fmt::format("{}", group.limit) : "none", own(group.limit > 0)});
  table.row({"when-full", fmt::format("\"{}\"", when_full_words[static_cast<std::size_t>(group.when_full)]),
             own(group.when_full != WhenFull::oldest)});
  table.row({"player", group.player ? "true" : "false", own(group.player)});
  table.row({"duck", group.ducks.empty() ? "none" : ducks_text(group.ducks), own(!group.ducks.empty())});
  for (const auto& [key, its] : {std::pair("quality", &quality), {"level", &level}, {"preload", &preload}, {"scope", &scope}})
    table.row({key, its->value, its->from == "group " + group.name ? "own" : its->from});
  double gain = 0;
  std::string sums, muted;
  up_from(book, group.name, [&](const BookGroup& g) {
    gain += g.gain.value;
    sums += fmt::format("{}{} {}", sums.empty() ? "" : ", ", g.name, to_text(g.gain));
    if (g.muted) muted += fmt::format("; muted by {}", g.name);
    return false;
  });
  std::string sounds;
  for (const auto& sound : book.sounds)
    if (sound.group == group.name) sounds += (sounds.empty() ? "" : ", ") + sound.name;
  return title(group.place, "group", group.name) + table.text() +
         fmt::format("\n  heard at {}: {}{}\n  sounds: {}\n", to_text(Decibels{gain}), sums, muted,
                     sounds.empty() ? "none of its own" : sounds);
}

std::map<std::string, std::set<std::string>> traits_of(const Book& book) {
  std::map<std::string, std::set<std::string>> traits;
  for (const auto& sound : book.sounds)
    for (const auto& layer : sound.layers)
      for (std::size_t i = 0; i < layer.by.size(); ++i) {
        auto& values = traits[layer.by[i]];
        for (const auto& choice : layer.choices)
          if (i < choice.values.size() && choice.values[i] != "*") values.insert(choice.values[i]);
      }
  return traits;
}

std::string show_trait(const Book& book, const std::string& trait) {
  Table table({"sound", "layer", "knows"});
  for (const auto& sound : book.sounds)
    for (const auto& layer : sound.layers) {
      const auto by = std::find(layer.by.begin(), layer.by.end(), trait);
      if (by == layer.by.end()) continue;
      const auto at = static_cast<std::size_t>(by - layer.by.begin());
      std::set<std::string> values;
      for (const auto& choice : layer.choices)
        if (at < choice.values.size()) values.insert(choice.values[at]);
      table.row({sound.name, layer.name.empty() ? "-" : layer.name, fmt::format("{}", fmt::join(values, ", "))});
    }
  return table.empty() ? std::string() : fmt::format("{}: trait '{}'\n\n{}", book.file, trait, table.text());
}

}  // namespace tidewater::tool
