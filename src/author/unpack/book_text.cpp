#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <string_view>

#include "author/book/in_quotes.hpp"
#include "author/book/keys.hpp"
#include "author/book/read_gauges.hpp"
#include "author/unpack/book_of.hpp"
#include "base/text.hpp"

namespace tidewater {
namespace {

std::string text_in_quotes(std::string_view text) { return in_basic_quotes(text); }

std::string key_of(std::string_view name) { return is_bare(name) ? std::string(name) : text_in_quotes(name); }

template <class Items, class Text>
std::string list_of(const Items& items, Text text) {
  std::string all;
  for (const auto& item : items) all += (all.empty() ? "" : ", ") + text(item);
  return "[" + all + "]";
}

std::string text_of(const FollowDesign& its) {
  std::string text = "{ gauge = " + text_in_quotes(its.gauge);
  if (its.on) text += ", on = " + text_in_quotes(word_of(*its.on));
  if (its.between != Between{}) text += ", between = " + text_in_quotes(between_words[static_cast<std::size_t>(its.between)]);
  for (const CurveDesign& curve : its.curves)
    text += fmt::format(
        ", {} = {}", bends_words[static_cast<std::size_t>(curve.bends)], list_of(curve.points, [&](const CurvePoint& point) {
          return fmt::format("[{}, {}]", gauge_text(its.gauge, point.gauge), text_in_quotes(bent_text(curve.bends, point.value)));
        }));
  return text + " }";
}
std::string text_of(const std::vector<FollowDesign>& follow) {
  return follow.empty() ? "" : list_of(follow, [](const FollowDesign& its) { return text_of(its); });
}

/// The rows' keys that are not at their defaults, in order; `special(key)` writes those that have code of their own, or nothing.
template <class Into, class Special>
std::vector<BookSetting> settings_by(const RowsOf<Into>& rows, const Into& its, Special special) {
  std::vector<BookSetting> settings;
  for (const Row<Into>& row : rows.rows()) {
    std::string text = row.write ? row.write(its) : special(row.says.key);
    if (!text.empty()) settings.push_back({std::string(row.says.key), std::move(text), "bank"});
  }
  return settings;
}

std::string clip_text(const BookClip& clip) {
  if (clip.weight == 1 && clip.gain == Decibels{}) return text_in_quotes(clip.path);
  std::string text = "{ file = " + text_in_quotes(clip.path);
  if (clip.weight != 1) text += fmt::format(", weight = {}", static_cast<float>(clip.weight));
  if (clip.gain != Decibels{}) text += ", gain = " + text_in_quotes(to_text(clip.gain));
  return text + " }";
}

std::string clips_text(const BookLayer& layer) {
  if (layer.by.empty()) return layer.choices.empty() ? "[]" : list_of(layer.choices.front().clips, clip_text);
  std::string text = "{ by = " + list_of(layer.by, [](const std::string& trait) { return text_in_quotes(trait); });
  for (const BookChoice& choice : layer.choices)
    text +=
        fmt::format(", {} = {}", choice.values.empty() ? "otherwise" : text_in_quotes(fmt::format("{}", fmt::join(choice.values, ", "))),
                    list_of(choice.clips, clip_text));
  return text + " }";
}

std::string lines(const std::vector<BookSetting>& settings) {
  std::size_t width = 0;
  for (const BookSetting& setting : settings) width = std::max(width, setting.key.size());
  std::string text;
  for (const BookSetting& setting : settings) text += fmt::format("{:<{}} = {}\n", setting.key, width, setting.value);
  return text;
}

std::string text_of(const DuckDesign& duck) {
  std::string text;
  for (const BookSetting& setting : settings_by(duck_rows(), duck, [](std::string_view) { return std::string(); }))
    text += fmt::format("{}{} = {}", text.empty() ? "{ " : ", ", setting.key, setting.value);
  return text + " }";
}

std::string text_of(const BookGroup& group) {
  const std::string its = lines(settings_by(group_rows(), group, [&](std::string_view key) {
    if (key == "duck")
      return group.ducks.empty() ? std::string() : list_of(group.ducks, [](const DuckDesign& its) { return text_of(its); });
    return key == "parent" && !group.parent.empty() && group.parent != "master" ? text_in_quotes(group.parent) : std::string();
  }));
  return group.parent.empty() && its.empty() ? "" : fmt::format("\n[groups.{}]\n{}", key_of(group.name), its);
}

/// { music = { gain = "-6 dB" } }
std::string text_of(const std::vector<MoodGroupDesign>& groups) {
  std::string text;
  for (const MoodGroupDesign& its : groups) {
    std::string keys;
    for (const BookSetting& setting : settings_by(mood_group_rows(), its, [&](std::string_view key) {
           return key == "gain" && its.sets_gain ? text_in_quotes(to_text(its.gain)) : std::string();
         }))
      keys += fmt::format("{}{} = {}", keys.empty() ? "" : ", ", setting.key, setting.value);
    text += fmt::format("{}{} = {{ {} }}", text.empty() ? "" : ", ", key_of(its.group), keys);
  }
  return "{ " + text + " }";
}

std::string text_of(const BookMood& mood) {
  return fmt::format(
      "\n[moods.{}]\n{}", key_of(mood.name),
      lines(settings_by(mood_rows(), mood, [&](std::string_view key) { return key == "groups" ? text_of(mood.groups) : std::string(); })));
}

std::string text_of(const BookScope& scope) {
  const std::string its = lines(settings_by(scope_rows(), scope, [&](std::string_view key) {
    return key == "parent" && !scope.parent.empty() && scope.parent != "root" ? text_in_quotes(scope.parent) : std::string();
  }));
  return scope.parent.empty() && its.empty() ? "" : fmt::format("\n[scopes.{}]\n{}", key_of(scope.name), its);
}

/// { surface = ["steel", "planks"] }
std::string conditions_of(const std::vector<BookTrait>& when) {
  std::map<std::string, std::vector<std::string>> values;
  for (const BookTrait& trait : when) values[trait.name].push_back(text_in_quotes(trait.value));
  std::string text;
  for (const auto& [trait, its] : values)
    text += fmt::format("{}{} = {}", text.empty() ? "" : ", ", key_of(trait),
                        its.size() == 1 ? its.front() : fmt::format("[{}]", fmt::join(its, ", ")));
  return fmt::format("{{ {} }}", text);
}

std::string text_of(const BookEvent& event, const Book& book) {
  const auto goes_without_saying = [&](const BookResponse& response) {
    if (response.verb != Verb::stop) return response.time == Seconds{};
    const auto sound =
        std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& its) { return its.name == response.target; });
    return sound == book.sounds.end() ? response.time == Seconds{} : sound->fade_out == response.time;
  };
  const std::string text = list_of(event.responses, [&](const BookResponse& response) {
    const VerbRow& row = row_of(response.verb);
    std::string its = fmt::format("{{ {} = {}", word_of(response.verb), text_in_quotes(response.target));
    const auto add = [&](std::string_view key, const std::string& value) { its += fmt::format(", {} = {}", key, value); };
    if (!row.value.empty() && (row.value_is_needed || response.value != 0))
      add(row.value, row.target == TargetKind::gauge ? shortest_digits(response.value) : text_in_quotes(to_text(response.level())));
    if (!row.time.empty() && !goes_without_saying(response)) add(row.time, text_in_quotes(to_text(response.time)));
    if (response.whom) add("for", text_in_quotes(whom_words[static_cast<std::size_t>(*response.whom)]));
    if (response.delay.high > Seconds{}) add("delay", written(response.delay));
    if (response.left_out > 0) add("chance", text_in_quotes(shortest_digits(100 * (1 - response.left_out)) + " %"));
    if (response.on) add("on", text_in_quotes(word_of(*response.on)));
    if (!response.when.empty()) add("when", conditions_of(response.when));
    return its + " }";
  });
  return fmt::format("\n[events.{}]\nresponses = {}\n", key_of(event.name), text);
}

std::string text_of(const BookGauge& gauge) {
  const auto settings = settings_by(gauge_rows(), gauge, [&](std::string_view key) {
    if (key == "from") return shortest_digits(gauge.from);
    if (key == "to") return shortest_digits(gauge.to);
    return key == "default" && gauge.initial != gauge.from ? shortest_digits(gauge.initial) : std::string();
  });
  return fmt::format("\n[gauges.{}]\n{}", key_of(gauge.name), lines(settings));
}

/// The keys of a change that say something.
std::vector<BookSetting> settings_of(const ChangeDesign& change) {
  std::vector<BookSetting> settings;
  const auto add = [&](std::string_view key, std::string value) { settings.push_back({std::string(key), std::move(value), "bank"}); };
  if (change.on) add("on", text_in_quotes(word_of(*change.on)));
  if (change.by) add("by", text_in_quotes(by_words[static_cast<std::size_t>(*change.by)]));
  if (change.over > Seconds{}) add("over", text_in_quotes(to_text(change.over)));
  if (!change.bridge.empty()) add("bridge", text_in_quotes(change.bridge));
  return settings;
}

std::string text_of(const PartDesign& part) {
  return fmt::format("{{ name = {}, bars = {}{} }}", text_in_quotes(part.name), part.bars, part.loop ? ", loop = true" : "");
}

/// The keys of a track that have code of their own, or that it shares with sounds.
std::string special_of_track(const BookSound& sound, std::string_view key) {
  const TrackDesign& track = *sound.track;
  if (!sound.list.empty()) return key == "list" ? list_of(sound.list, text_in_quotes) : std::string();
  const bool timed = track.tempo.value > 0;
  if (key == "metre") return track.metre == 4 && track.unit == 4 ? "" : fmt::format("\"{}/{}\"", track.metre, track.unit);
  if (key == "parts") return track.parts.empty() ? "" : list_of(track.parts, [](const PartDesign& part) { return text_of(part); });
  if (key == "ending") return track.ending.empty() ? "" : text_in_quotes(track.ending);
  if (key == "stop-after" && track.stop_after_bars > 0) return fmt::format("\"{} bars\"", track.stop_after_bars);
  if (key == "stop-after") return track.stop_after > Seconds{} ? text_in_quotes(to_text(track.stop_after)) : "";
  if (key == "rank") return sound.rank == 9 ? "" : fmt::format("{}", sound.rank);
  if (key == "loop") return timed || sound.layers.front().loop.loops() ? "" : "false";
  if (timed && (key == "loop-between" || key == "loop-crossfade")) return {};
  for (const ChangeDesign& change : track.changes)
    if (change.from.empty())
      for (const BookSetting& its : settings_of(change))
        if (its.key == key) return its.value;
  if (key == "clips" && is_layered(sound)) return {};
  for (const BookSetting& its : settings_of(sound))
    if (its.key == key) return its.value;
  return {};
}

std::string text_of_track(const BookSound& sound) {
  std::string text =
      fmt::format("\n[tracks.{}]\n{}", key_of(sound.name),
                  lines(settings_by(track_rows(), *sound.track, [&](std::string_view key) { return special_of_track(sound, key); })));
  if (is_layered(sound))
    for (const BookLayer& stem : sound.layers) {
      std::vector<BookSetting> settings = settings_of(stem);
      std::erase_if(settings, [](const BookSetting& its) { return its.key.starts_with("loop") || its.key == "stream"; });
      text += fmt::format("\n[[tracks.{}.stems]]\n{}", key_of(sound.name), lines(settings));
    }
  for (const ChangeDesign& change : sound.track->changes)
    if (!change.from.empty())
      text += fmt::format("\n[tracks.{}.from.{}]\n{}", key_of(sound.name), key_of(change.from), lines(settings_of(change)));
  return text;
}

std::string text_of(const BookSound& sound) {
  if (sound.track) return text_of_track(sound);
  std::string text = fmt::format("\n[sounds.{}]\n{}", key_of(sound.name), lines(settings_of(sound)));
  if (!is_layered(sound)) return text;
  for (const BookLayer& layer : sound.layers)
    text += fmt::format("\n[[sounds.{}.layers]]\n{}", key_of(sound.name), lines(settings_of(layer)));
  return text;
}

}  // namespace

bool is_layered(const BookSound& sound) {
  if (sound.layers.size() != 1) return true;
  const BookLayer& only = sound.layers.front();
  return !only.name.empty() || only.gain != Range<Decibels>{} || only.pitch != Range<Semitones>{} || only.delay != Range<Seconds>{} ||
         (!sound.follow.empty() && !only.follow.empty());
}

namespace {

std::string loop_between_of(const BookLoop& loop) {
  if (loop.between == BookLoop::Between::file) return "\"from-file\"";
  if (loop.between != BookLoop::Between::frames) return {};
  return text_in_quotes(fmt::format("{} .. {} frames", loop.frames.low.value, loop.frames.high.value));
}

/// The keys of a layer that have code of their own.
std::string special_of(const BookLayer& layer, std::string_view key) {
  if (key == "name") return text_in_quotes(layer.name);
  if (key == "clips") return clips_text(layer);
  if (key == "follow") return text_of(layer.follow);
  if (key == "loop") return layer.loop.between != BookLoop::Between::none ? "true" : "";
  if (key == "loop-between") return loop_between_of(layer.loop);
  if (key != "start-at") return {};
  return layer.start_anywhere ? "\"anywhere\"" : layer.start_at == Range<Seconds>{} ? "" : written(layer.start_at);
}

/// A key of a sound that its only layer has.
std::string of_only_layer(const BookSound& sound, std::string_view key) {
  if (is_layered(sound)) return {};
  const BookLayer& layer = sound.layers.front();
  for (const Row<BookLayer>& row : layer_rows().rows())
    if (row.says.key == key) return row.write ? row.write(layer) : special_of(layer, key);
  return {};
}

std::string distance_of(const WorldDesign& world) {
  if (world.falloff == Falloff::inverse) return {};
  if (world.falloff != Falloff::points) return text_in_quotes(falloff_words[static_cast<std::size_t>(world.falloff)]);
  return list_of(world.points, [](const FalloffPoint& point) {
    return fmt::format("[{}, {}]", text_in_quotes(to_text(point.at)), text_in_quotes(to_text(point.level)));
  });
}

std::string cone_of(const ConeDesign& cone) {
  if (cone == ConeDesign()) return {};
  return fmt::format("{{ inner = {}, outer = {}, outside = {} }}", text_in_quotes(to_text(cone.inner)), text_in_quotes(to_text(cone.outer)),
                     text_in_quotes(to_text(cone.outside)));
}

std::string together_of(const BookSound& sound) {
  std::vector<std::string_view> together;
  for (std::size_t d = 0; d < draw_count; ++d)
    if (sound.together[d]) together.push_back(draw_words[d]);
  return together.empty() ? "" : list_of(together, [](std::string_view key) { return text_in_quotes(key); });
}

/// The keys of a sound that have code of their own.
std::string special_of(const BookSound& sound, std::string_view key) {
  if (key == "group") return sound.group == "master" ? "" : text_in_quotes(sound.group);
  if (key == "distance") return distance_of(sound.world);
  if (key == "cone") return cone_of(sound.world.cone);
  if (key == "follow") return sound.follow.empty() ? of_only_layer(sound, key) : text_of(sound.follow);
  if (key == "together") return together_of(sound);
  return of_only_layer(sound, key);
}

}  // namespace

std::vector<BookSetting> settings_of(const BookLayer& layer) {
  return settings_by(layer_rows(), layer, [&](std::string_view key) { return special_of(layer, key); });
}

std::vector<BookSetting> settings_of(const BookSound& sound) {
  return settings_by(sound_rows(), sound, [&](std::string_view key) { return special_of(sound, key); });
}

std::string text_of(const Book& book) {
  std::string text = fmt::format("[book]\nname = {}\n", text_in_quotes(book.name));
  for (const BookGroup& group : book.groups) text += text_of(group);
  for (const BookMood& mood : book.moods) text += text_of(mood);
  for (const BookGauge& gauge : book.gauges) text += text_of(gauge);
  for (const BookScope& scope : book.scopes) text += text_of(scope);
  for (const BookTraitValues& trait : book.traits)
    text += fmt::format("\n[traits.{}]\nvalues = {}\n", key_of(trait.name),
                        list_of(trait.values, [](const std::string& value) { return text_in_quotes(value); }));
  for (const BookSound& sound : book.sounds) text += text_of(sound);
  for (const BookEvent& event : book.events) text += text_of(event, book);
  return text;
}

}  // namespace tidewater
