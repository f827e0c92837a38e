#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <string_view>

#include "author/book/in_quotes.hpp"
#include "author/book/read_gauges.hpp"
#include "author/unpack/book_of.hpp"
#include "base/text.hpp"

namespace tidewater {
namespace {

/// Any text as a book writes it: TOML's basic strings have JSON's escapes.
std::string text_in_quotes(std::string_view text) {
  return nlohmann::json(text).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::string key_of(std::string_view name) { return is_bare(name) ? std::string(name) : text_in_quotes(name); }

template <class Items, class Text>
std::string list_of(const Items& items, Text text) {
  std::string all;
  for (const auto& item : items) all += (all.empty() ? "" : ", ") + text(item);
  return "[" + all + "]";
}

/// Collects keys that are not at their defaults.
class Settings {
 public:
  void add(std::string_view key, std::string value) { all_.push_back({std::string(key), std::move(value), "bank"}); }
  template <class Quantity>
  void quantity(std::string_view key, Quantity value) {
    if (value != Quantity{}) add(key, text_in_quotes(to_text(value)));
  }
  template <class Quantity>
  void range(std::string_view key, const Range<Quantity>& range) {
    if (range.low == range.high)
      quantity(key, range.low);
    else
      add(key, text_in_quotes(fmt::format("{} .. {}", to_text(range.low), to_text(range.high))));
  }
  void share(std::string_view key, double value) {
    if (value != 1) add(key, text_in_quotes(hundredfold(value) + " %"));
  }
  template <class Enum, std::size_t count>
  void word(std::string_view key, Enum value, const std::array<std::string_view, count>& words) {
    if (value != Enum{}) add(key, text_in_quotes(words[static_cast<std::size_t>(value)]));
  }
  void truth(std::string_view key, bool value) {
    if (value) add(key, "true");
  }
  std::vector<BookSetting> take() { return std::move(all_); }

 private:
  std::vector<BookSetting> all_;
};

void add_world(Settings& settings, const WorldDesign& world) {
  if (world.place == Where::screen) return;
  const WorldDesign standard;
  const auto length = [&](std::string_view key, Metres value, Metres otherwise) {
    if (value != otherwise) settings.add(key, text_in_quotes(to_text(value)));
  };
  const auto amount = [&](std::string_view key, double value) {
    if (value != 1) settings.add(key, text_in_quotes(hundredfold(value) + " %"));
  };
  settings.word("place", world.place, where_words);
  length("near", world.full_within, standard.full_within);
  length("far", world.silent_from, standard.silent_from);
  length("radius", world.radius, standard.radius);
  if (world.falloff == Falloff::points)
    settings.add("distance", list_of(world.points, [](const FalloffPoint& point) {
                   return fmt::format("[{}, {}]", text_in_quotes(to_text(point.at)), text_in_quotes(to_text(point.level)));
                 }));
  else
    settings.word("distance", world.falloff, falloff_words);
  amount("rolloff", world.rolloff);
  if (world.cone != standard.cone)
    settings.add("cone", fmt::format("{{ inner = {}, outer = {}, outside = {} }}", text_in_quotes(to_text(world.cone.inner)),
                                     text_in_quotes(to_text(world.cone.outer)), text_in_quotes(to_text(world.cone.outside))));
  amount("doppler", world.doppler);
  amount("air", world.air);
  settings.word("when-gone", world.when_gone, when_gone_words);
}

std::string text_of(const FollowDesign& its) {
  std::string text = "{ gauge = " + text_in_quotes(its.gauge);
  if (its.between != Between{}) text += ", between = " + text_in_quotes(between_words[static_cast<std::size_t>(its.between)]);
  for (const CurveDesign& curve : its.curves)
    text += fmt::format(
        ", {} = {}", bends_words[static_cast<std::size_t>(curve.bends)], list_of(curve.points, [&](const CurvePoint& point) {
          return fmt::format("[{}, {}]", gauge_text(its.gauge, point.gauge), text_in_quotes(bent_text(curve.bends, point.value)));
        }));
  return text + " }";
}
void add_follow(Settings& settings, const std::vector<FollowDesign>& follow) {
  if (!follow.empty()) settings.add("follow", list_of(follow, [](const FollowDesign& its) { return text_of(its); }));
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

std::string text_of(const BookGroup& group) {
  Settings settings;
  if (!group.parent.empty() && group.parent != "master") settings.add("parent", text_in_quotes(group.parent));
  settings.quantity("gain", group.gain);
  settings.truth("mute", group.muted);
  settings.quantity("low-pass", group.low_pass);
  settings.quantity("high-pass", group.high_pass);
  const std::string its = lines(settings.take());
  return group.parent.empty() && its.empty() ? "" : fmt::format("\n[groups.{}]\n{}", key_of(group.name), its);
}

std::string text_of(const BookEvent& event, const Book& book) {
  const auto goes_without_saying = [&](const BookResponse& response) {
    const auto sound =
        std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& its) { return its.name == response.target; });
    return sound == book.sounds.end() ? response.time == Seconds{} : sound->fade_out == response.time;
  };
  const std::string text = list_of(event.responses, [&](const BookResponse& response) {
    std::string its = fmt::format("{{ {} = {}", word_of(response.verb), text_in_quotes(response.target));
    if (response.delay > Seconds{}) its += ", delay = " + text_in_quotes(to_text(response.delay));
    const std::string_view time = row_of(response.verb).time;
    if (!time.empty() && !goes_without_saying(response)) its += fmt::format(", {} = {}", time, text_in_quotes(to_text(response.time)));
    return its + " }";
  });
  return fmt::format("\n[events.{}]\nresponses = {}\n", key_of(event.name), text);
}

std::string text_of(const BookGauge& gauge) {
  const GaugeDesign standard;
  Settings settings;
  settings.add("from", shortest_digits(gauge.from));
  settings.add("to", shortest_digits(gauge.to));
  if (gauge.initial != gauge.from) settings.add("default", shortest_digits(gauge.initial));
  if (gauge.smoothing != standard.smoothing) settings.add("smoothing", text_in_quotes(to_text(gauge.smoothing)));
  return fmt::format("\n[gauges.{}]\n{}", key_of(gauge.name), lines(settings.take()));
}

std::string text_of(const BookSound& sound) {
  std::string text = fmt::format("\n[sounds.{}]\n{}", key_of(sound.name), lines(settings_of(sound)));
  if (!is_layered(sound)) return text;
  for (const BookLayer& layer : sound.layers)
    text += fmt::format("\n[[sounds.{}.layers]]\n{}", key_of(sound.name), lines(settings_of(layer, false)));
  return text;
}

}  // namespace

bool is_layered(const BookSound& sound) {
  if (sound.layers.size() != 1) return true;
  const BookLayer& only = sound.layers.front();
  return !only.name.empty() || only.gain != Range<Decibels>{} || only.pitch != Range<Semitones>{} || only.delay != Range<Seconds>{};
}

std::vector<BookSetting> settings_of(const BookLayer& layer, bool alone) {
  Settings settings;
  if (!alone) {
    settings.add("name", text_in_quotes(layer.name));
    settings.range("gain", layer.gain);
    settings.range("pitch", layer.pitch);
    settings.range("delay", layer.delay);
  }
  settings.word("pick", layer.pick, pick_words);
  settings.share("chance", layer.chance);
  add_follow(settings, layer.follow);
  settings.truth("loop", layer.loop.between != BookLoop::Between::none);
  if (layer.loop.between == BookLoop::Between::file) settings.add("loop-between", "\"from-file\"");
  if (layer.loop.between == BookLoop::Between::frames)
    settings.add("loop-between", text_in_quotes(fmt::format("{} .. {} frames", layer.loop.frames.low.value, layer.loop.frames.high.value)));
  if (layer.start_anywhere)
    settings.add("start-at", "\"anywhere\"");
  else
    settings.range("start-at", layer.start_at);
  if (layer.stream) settings.add("stream", *layer.stream ? "true" : "false");
  settings.add("clips", clips_text(layer));
  return settings.take();
}

std::vector<BookSetting> settings_of(const BookSound& sound) {
  const SoundDesign standard;
  Settings settings;
  if (sound.group != "master") settings.add("group", text_in_quotes(sound.group));
  settings.range("gain", sound.gain);
  settings.range("pitch", sound.pitch);
  settings.range("pan", sound.pan);
  add_world(settings, sound.world);
  add_follow(settings, sound.follow);
  settings.range("delay", sound.delay);
  settings.range("cadence", sound.cadence);
  settings.range("low-pass", sound.low_pass);
  settings.quantity("high-pass", sound.high_pass);
  if (sound.towards_middle) settings.add("spread", "\"middle\"");
  std::vector<std::string_view> together;
  for (std::size_t d = 0; d < draw_count; ++d)
    if (sound.together[d]) together.push_back(draw_words[d]);
  if (!together.empty()) settings.add("together", list_of(together, [](std::string_view key) { return text_in_quotes(key); }));
  if (sound.each_emitter) settings.add("pick-for", "\"each-emitter\"");
  settings.word("retrigger", sound.retrigger, retrigger_words);
  settings.quantity("spacing", sound.spacing);
  if (sound.limit > 0) settings.add("limit", fmt::format("{}", sound.limit));
  settings.word("when-full", sound.when_full, when_full_words);
  if (sound.limit_each_emitter) settings.add("limit-for", "\"each-emitter\"");
  if (sound.rank != standard.rank) settings.add("rank", fmt::format("{}", sound.rank));
  if (sound.quality) settings.add("quality", text_in_quotes(quality_words[static_cast<std::size_t>(*sound.quality)]));
  settings.quantity("fade-in", sound.fade_in);
  settings.quantity("fade-out", sound.fade_out);
  if (sound.preload) settings.add("preload", *sound.preload ? "true" : "false");
  std::vector<BookSetting> all = settings.take();
  if (!is_layered(sound))
    for (BookSetting& setting : settings_of(sound.layers.front(), true)) all.push_back(std::move(setting));
  return all;
}

std::string text_of(const Book& book) {
  std::string text = fmt::format("[book]\nname = {}\n", text_in_quotes(book.name));
  for (const BookGroup& group : book.groups) text += text_of(group);
  for (const BookGauge& gauge : book.gauges) text += text_of(gauge);
  for (const BookSound& sound : book.sounds) text += text_of(sound);
  for (const BookEvent& event : book.events) text += text_of(event, book);
  return text;
}

}  // namespace tidewater
