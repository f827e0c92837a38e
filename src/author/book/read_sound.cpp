#include "author/book/read_sound.hpp"

#include <algorithm>
#include <array>
#include <filesystem>
#include <map>
#include <set>
#include <sstream>
#include <unordered_set>

#include "author/book/keys.hpp"
#include "author/book/read_gauges.hpp"
#include "author/book/read_limits.hpp"
#include "author/book/read_sketch.hpp"
#include "author/book/read_world.hpp"
#include "author/book/split_values.hpp"
#include "author/book/tables.hpp"
#include "bank/bank_data.hpp"
#include "base/nearest.hpp"

namespace tidewater {

namespace {

namespace fs = std::filesystem;

/// One way of giving clips replaces the other where a sound is like another.
constexpr std::array<std::string_view, 3> rivals = {"clips", "layers", "sketch"};
/// What each layer says for itself; of a sound with layers it would mean nothing.
constexpr std::array<std::string_view, 7> of_each_layer = {"pick",         "chance",         "start-at", "loop",
                                                           "loop-between", "loop-crossfade", "stream"};

}  // namespace

std::string in_book(const toml::node& node) {
  std::ostringstream out;
  out << toml::toml_formatter(node, toml::toml_formatter::default_flags & ~toml::format_flags::allow_literal_strings);
  std::string text = out.str();
  std::replace(text.begin(), text.end(), '\n', ' ');
  return text;
}

SoundReader::SoundReader(const toml::table& root, bool whole, const ClipFolder& folder, Book& book, Problems& problems)
    : root_(root), whole_(whole), folder_(folder), book_(book), problems_(problems) {}

void SoundReader::missing(FilePlace place, std::string message) {
  if (whole_) problems_.add(std::move(place), std::move(message));
}

std::string SoundReader::advice_for(const std::string& pattern) { return problems_.may_look() ? folder_.advice_for(pattern) : ""; }

const toml::table* SoundReader::sound_named(std::string_view name) const {
  const auto* sounds = root_.get_as<toml::table>("sounds");
  return sounds == nullptr ? nullptr : sounds->get_as<toml::table>(name);
}

/// Its own keys over what it took over.
void SoundReader::put_over(const toml::table& own, Whole& into) {
  for (const auto& [key, node] : own) {
    if (key.str() == "like") continue;
    if (std::find(rivals.begin(), rivals.end(), key.str()) != rivals.end())
      for (const auto& its : rivals) into.erase(its);
    if (key.str() == "layers")
      for (const auto& its : of_each_layer) into.erase(its);
    into.keys.set(key, node);
    into.from[std::string(key.str())] = "own";
  }
}

/// What a sound says over what those say that it is like. Each is worked out once, from where its chain is known on.
const SoundReader::Whole& SoundReader::whole_table(std::string_view name, const toml::table& own) {
  const auto like_of = [](const toml::table& table) {
    const auto* like = table.get_as<std::string>("like");
    return like == nullptr ? nullptr : &like->get();
  };
  if (own.contains("like")) text(problems_, own, "like");
  if (const auto* like = like_of(own); like != nullptr && sound_named(*like) == nullptr) {
    std::vector<std::string_view> known;
    for (const auto& [key, node] : *root_.get_as<toml::table>("sounds")) known.push_back(key.str());
    missing(problems_.at(*own.get("like")),
            fmt::format("there is no sound '{}' to be like{}", *like, problems_.may_look() ? did_you_mean(*like, known) : ""));
  }
  if (const auto known = wholes_.find(name); known != wholes_.end()) return known->second;

  std::vector<std::pair<std::string, const toml::table*>> chain = {{std::string(name), &own}};
  std::unordered_set<const toml::table*> passed = {&own};
  const Whole* base = nullptr;
  bool circle = false;
  std::string next;
  for (const std::string* like = like_of(own); like != nullptr && !circle; like = like_of(*chain.back().second)) {
    next = *like;
    const toml::table* table = sound_named(next);
    if (const auto known = wholes_.find(next); known != wholes_.end()) base = &known->second;
    if (base != nullptr || table == nullptr) break;
    circle = !passed.insert(table).second;
    if (!circle) chain.emplace_back(next, table);
  }
  if (circle) {
    std::string words;
    for (const auto& link : chain) words += fmt::format("'{}' is like ", link.first);
    problem(*chain.back().second->get("like"), fmt::format("{}'{}': a circle; give one of them keys of its own", words, next));
  }
  Whole whole;
  for (auto link = chain.rbegin(); link != chain.rend(); ++link) {
    if (circle) whole = {};  // each stands for itself
    if (base != nullptr) whole = *base;
    for (auto& [key, from] : whole.from)
      if (from == "own") from = fmt::format("like {}", next);
    put_over(*link->second, whole);
    base = &(wholes_[link->first] = whole);
    next = link->first;
  }
  return *base;
}

void SoundReader::read(const toml::key& key, const toml::table& own) {
  const auto dotted = check_named(problems_, "sounds", key.str(), own, fmt::format("sound '{}'", key.str()), keys_of("sounds"));
  dotted_.insert(dotted_.end(), dotted.begin(), dotted.end());
  if (!dotted.empty() && dotted.size() == own.size()) return;
  sketching_ = key.str();
  const Whole& whole = whole_table(key.str(), own);
  const Keys& table = whole.keys;
  if (std::count_if(rivals.begin(), rivals.end(), [&](std::string_view rival) { return own.contains(rival); }) > 1)
    problems_.add(problems_.at(key), fmt::format("sound '{}' has two of clips, layers and sketch; keep one", key.str()));
  if (own.contains("layers"))
    for (const auto& each : of_each_layer)
      if (const toml::node* node = own.get(each); node != nullptr)
        problem(*node, fmt::format("'{}' goes into the layers: a sound that has them says it for each", each));
  BookSound sound;
  sound.name = key.str();
  sound.place = problems_.at(key);
  read_sound(table, sound);
  check_limit(problems_, table);
  read_together(table, sound);
  read_world(problems_, table, sound);
  check_gauges(problems_, sound);
  check_cadence(problems_, table.get("cadence"), sound);
  list_settings(whole, sound);
  book_.sounds.push_back(std::move(sound));
}

void SoundReader::read_track(const Keys& table, BookSound& sound) {
  sketching_ = sound.name;
  if (table.contains("clips") && table.contains("stems"))
    problem(*table.get("stems"), fmt::format("track '{}' has both clips and stems; keep one", sound.name));
  read_sound(table, sound);
  check_gauges(problems_, sound);
}

/// The keys that sounds and tracks share.
void SoundReader::read_sound(const Keys& table, BookSound& sound) {
  if (const auto* group = text(problems_, table, "group")) {
    sound.group = *group;
    named_groups_.push_back({*group, problems_.at(*table.get("group"))});
  }
  sound_rows().read(problems_, table, sound);
  if (!sound.scope.empty()) named_scopes_.push_back({sound.scope, problems_.at(*table.get("scope"))});
  read_follow(problems_, table, book_, whole_, sound.follow);
  read_layers(table, sound);
}

void SoundReader::read_together(const Keys& table, BookSound& sound) {
  const toml::node* node = table.get("together");
  if (node == nullptr) return;
  static const std::vector<std::string_view> known(draw_words.begin(), draw_words.end());
  const auto* list = node->as_array();
  if (list == nullptr || list->size() < 2)
    return problem(*node, "'together' must list two keys or more that are drawn with one number, such as [\"gain\", \"pitch\"]");
  for (const auto& item : *list) {
    const std::string key = item.value_or(std::string());
    const auto draw = std::find(known.begin(), known.end(), key);
    if (draw == known.end())
      problem(item, fmt::format("'{}' cannot be drawn together{}", key, did_you_mean(key, known)));
    else
      sound.together[static_cast<std::size_t>(draw - known.begin())] = true;
  }
}

void SoundReader::read_layers(const Keys& table, BookSound& sound) {
  const std::string what = fmt::format("{} '{}'", sound.kind(), sound.name);
  const std::string_view section = sound.track ? "stems" : "layers", one = sound.track ? "stem" : "layer";
  const toml::node* node = table.get(section);
  if (node == nullptr) {
    // A plain sound is a layer without a name; gain, pitch and delay are the sound's own.
    Keys plain = table;
    for (const auto* whole_sound : {"gain", "pitch", "delay", "follow"}) plain.erase(whole_sound);
    BookLayer& layer = sound.layers.emplace_back();
    layer.place = sound.place;
    return read_layer(plain, what, layer);
  }
  const auto* list = node->as_array();
  if (list == nullptr || list->empty())
    return problem(*node, fmt::format("'{0}' must be a list of tables: {0} = [ {{ name = \"low\", clips = [\"low.flac\"] }} ]", section));
  if (list->size() > most_layers) problem(*node, fmt::format("{} has {} {}; {} is the most", what, list->size(), section, most_layers));
  for (const auto& item : *list) {
    const auto* layer_table = item.as_table();
    if (layer_table == nullptr) {
      problem(item, fmt::format("a {} must be a table, such as {{ name = \"low\", clips = [\"low.flac\"] }}", one));
      continue;
    }
    BookLayer& layer = sound.layers.emplace_back();
    layer.place = problems_.at(*layer_table);
    layer.name = fmt::format("{}", sound.layers.size());
    if (const auto* name = text(problems_, *layer_table, "name")) layer.name = *name;
    const std::string which = fmt::format("{} '{}' of {}", one, layer.name, what);
    check_keys(problems_, *layer_table, which, keys_of(section));
    Keys keys = *layer_table;
    if (sound.track) sketching_ = fmt::format("{}-{}", sound.name, layer.name);
    if (sound.track)
      for (const std::string_view of_all : {"stream", "loop", "loop-between", "loop-crossfade"})
        if (const auto* its = table.entry(of_all)) keys.set(*its->key, *its->node);
    read_layer(keys, which, layer);
  }
}

void SoundReader::read_layer(const Keys& table, const std::string& what, BookLayer& layer) {
  layer_rows().read(problems_, table, layer);
  read_follow(problems_, table, book_, whole_, layer.follow);
  if (const auto* start = table.get("start-at"); start != nullptr && start->value_or(std::string()) == "anywhere")
    layer.start_anywhere = true;
  else
    read_quantity(problems_, table, "start-at", read_second_range, layer.start_at);
  read_loop(table, layer);
  read_clips(table, what, layer);
}

void SoundReader::read_loop(const Keys& table, BookLayer& layer) {
  bool loops = false;
  read_bool(problems_, table, "loop", loops);
  BookLoop& loop = layer.loop;
  loop.place = layer.place;
  if (loops) loop.between = BookLoop::Between::whole;
  if (const auto* region = text(problems_, table, "loop-between")) {
    const toml::node& node = *table.get("loop-between");
    loop.place = problems_.at(node);
    if (!loops) problem(node, "'loop-between' goes with loop = true");
    if (*region == "from-file") {
      loop.between = BookLoop::Between::file;
    } else if (region->find("frames") != std::string::npos) {
      if (read_quantity(problems_, table, "loop-between", read_frame_range, loop.frames)) loop.between = BookLoop::Between::frames;
    } else if (read_quantity(problems_, table, "loop-between", read_second_range, loop.time)) {
      loop.between = BookLoop::Between::seconds;
    }
  }
  if (table.contains("loop-crossfade") && !loops) problem(*table.get("loop-crossfade"), "'loop-crossfade' goes with loop = true");
  read_quantity(problems_, table, "loop-crossfade", read_seconds, loop.crossfade);
  if (layer.stream.value_or(false) && loop.crossfade > Seconds{0})
    problem(*table.get("stream"), "a clip that streams cannot have a loop-crossfade; take out one of the two");
}

void SoundReader::read_clips(const Keys& table, const std::string& what, BookLayer& layer) {
  if (const toml::node* sketch = table.get("sketch")) return add_sketch(*sketch, layer);
  const toml::node* node = table.get("clips");
  if (node == nullptr && meant_by_another(table, "clips")) return;
  if (node == nullptr)
    return missing(layer.place, fmt::format("{} has no clips; add clips = [\"one.flac\"]{}", what,
                                            layer.name.empty() ? ", or sketch = \"step\" for now" : ""));
  if (const auto* by_trait = node->as_table()) {
    read_by_trait(*by_trait, what, layer);
  } else if (const auto* list = node->as_array(); list == nullptr) {
    problem(*node, "'clips' must be a list: clips = [\"one.flac\", \"steps/steel-*.wav\"]");
  } else if (list->empty()) {
    problem(*node, fmt::format("{} lists no clips", what));
  } else {
    read_list(*node, layer.choices.emplace_back());
  }
  for (const auto& choice : layer.choices) check_weights(*node, layer, choice);
}

void SoundReader::add_sketch(const toml::node& node, BookLayer& layer) {
  const SketchPlan plan = read_sketch(problems_, node);
  BookChoice& choice = layer.choices.emplace_back();
  for (std::uint32_t variant = 0; variant < plan.variants; ++variant) {
    std::string path = fmt::format("sketch:{}-{}", sketching_, variant + 1);
    book_.sketches[path] = {plan, variant};
    choice.clips.push_back({std::move(path), 1, {}, problems_.at(node)});
  }
}

void SoundReader::read_list(const toml::node& node, BookChoice& choice) {
  const auto* list = node.as_array();
  if (list == nullptr) return problem(node, "clips must be a list: [\"one.flac\", \"steps/steel-*.wav\"]");
  for (const auto& item : *list) {
    if (const auto* pattern = item.as_string()) {
      add_matching(pattern->get(), {}, item, choice);
    } else if (const auto* weighted = item.as_table()) {
      check_keys(problems_, *weighted, "a clip", {"file", "weight", "gain"});
      const auto* file = text(problems_, *weighted, "file");
      const toml::node* written = weighted->get("weight");
      const double weight = written == nullptr ? 1 : written->value_or(-1.0);
      const bool possible = weight >= 0 && weight <= 1e6;  // what is no number is neither
      BookClip as{.path = {}, .weight = weight, .gain = {}, .place = {}};
      if (const auto* gain = text(problems_, *weighted, "gain")) {
        const Read<Decibels> read = read_decibels(*gain);
        if (!read.value) problem(*weighted->get("gain"), read.problem);
        as.gain = read.value.value_or(Decibels{});
      }
      if (file == nullptr && !weighted->contains("file")) problem(item, "a clip in a table needs file = \"one.flac\"");
      if (!possible)
        problem(*written, "'weight' must be a number from 0, never, upwards: 2 comes twice as often as 1");
      else if (file != nullptr)
        add_matching(*file, as, item, choice);
    } else {
      problem(item, "a clip must be text in quotes, or { file = \"one.flac\", weight = 2, gain = \"-3 dB\" }");
    }
  }
}

void SoundReader::read_by_trait(const toml::table& table, const std::string& what, BookLayer& layer) {
  const toml::node* by = table.get("by");
  const toml::node* files = table.get("files");
  if (by == nullptr && files == nullptr)
    return problem(table, "clips in a table need by = \"surface\", the trait that chooses, or files = \"steps/{surface}-*.flac\"");
  if (by != nullptr && by->is_string()) layer.by = {by->as_string()->get()};
  if (by != nullptr && by->is_array())
    for (const auto& trait : *by->as_array()) layer.by.push_back(trait.value_or(std::string()));
  if (by != nullptr && (layer.by.empty() || std::find(layer.by.begin(), layer.by.end(), "") != layer.by.end()))
    problem(*by, "'by' must be the name of a trait, or a list of names: by = [\"surface\", \"weight\"]");
  if (files != nullptr) read_trait_pattern(*files, layer);
  for (const auto& [key, node] : table) {
    if (key.str() == "by" || key.str() == "files" || key.str() == "otherwise") continue;
    BookChoice choice{split_values(std::string(key.str())), {}};
    if (choice.values.size() != layer.by.size()) {
      problem(node, fmt::format("'{}' gives {} values for {} traits; \"steel, *\" is steel and anything", key.str(), choice.values.size(),
                                layer.by.size()));
      continue;
    }
    read_list(node, choice);
    layer.choices.push_back(std::move(choice));
  }
  const auto any = [](const BookChoice& choice) { return std::count(choice.values.begin(), choice.values.end(), "*"); };
  std::stable_sort(layer.choices.begin(), layer.choices.end(), [&](const auto& a, const auto& b) { return any(a) < any(b); });
  if (const auto* otherwise = table.get("otherwise"))
    read_list(*otherwise, layer.choices.emplace_back());
  else
    missing(
        problems_.at(table),
        fmt::format("{}: a value that is not named would be silent; add otherwise = [\"one.flac\"], or otherwise = [] if it shall", what));
}

/// "steps/{surface}-{weight}-*.flac": the values are those that the files' names have.
void SoundReader::read_trait_pattern(const toml::node& node, BookLayer& layer) {
  const auto* pattern = node.as_string();
  if (pattern == nullptr) return problem(node, "'files' must be text such as \"steps/{surface}-*.flac\"");
  const Pattern parts(pattern->get());
  if (!parts.problem().empty()) return problem(node, fmt::format("'files' is {}", parts.problem()));
  const std::vector<std::string>& traits = parts.traits();
  if (traits.empty())
    return problem(node, fmt::format("\"{}\" names no trait; write one in braces: \"steps/{{surface}}-*.flac\"", pattern->get()));
  if (!layer.by.empty() && layer.by != traits) problem(node, "the traits in 'files' are not those of 'by', in that order; leave out 'by'");
  layer.by = traits;
  std::map<std::vector<std::string>, std::size_t> known;
  for (std::size_t i = 0; i < layer.choices.size(); ++i) known.emplace(layer.choices[i].values, i);
  for (const auto& file : folder_.matching(parts)) {
    const auto values = *parts.values(file);
    const auto [choice, fresh] = known.try_emplace(values, layer.choices.size());
    if (fresh) layer.choices.push_back({values, {}});
    layer.choices[choice->second].clips.push_back({file, 1, {}, problems_.at(node)});
  }
  if (layer.choices.empty() && folder_.exists())
    problem(node, fmt::format("no file fits '{}'{}", pattern->get(), advice_for(pattern->get())));
}

void SoundReader::check_weights(const toml::node& node, const BookLayer& layer, const BookChoice& choice) {
  const auto weighs = [](const BookClip& clip) { return clip.weight != 1; };
  if (std::none_of(choice.clips.begin(), choice.clips.end(), weighs)) return;
  if (layer.pick != Pick::random)
    problem(node, fmt::format("weights go with pick = \"random\"; '{}' plays all alike", pick_words[static_cast<std::size_t>(layer.pick)]));
  if (std::all_of(choice.clips.begin(), choice.clips.end(), [](const BookClip& clip) { return clip.weight == 0; }))
    problem(node, "all weights are 0, so nothing could be picked; give one clip a weight of 1");
}

void SoundReader::add_matching(const std::string& pattern, const BookClip& as, const toml::node& node, BookChoice& choice) {
  const fs::path path(pattern);
  if (path.is_absolute() || std::find(path.begin(), path.end(), "..") != path.end())
    return problem(node, fmt::format("clip '{}' must lie inside the folder of clips", pattern));
  const Pattern parts(pattern);
  if (!parts.problem().empty()) return problem(node, fmt::format("clips cannot be found by {}", parts.problem()));
  if (!parts.traits().empty())
    return problem(node, fmt::format("'{}' has a trait in braces; write clips = {{ files = \"{}\" }}", pattern, pattern));
  const auto files = folder_.matching(parts);
  if (files.empty() && folder_.exists())
    problem(node, fmt::format("{} '{}'{}", parts.plain() ? "there is no clip" : "no file fits", pattern, advice_for(pattern)));
  std::unordered_set<std::string_view> known;
  for (const auto& clip : choice.clips) known.insert(clip.path);
  std::vector<BookClip> added;
  for (const auto& file : files)
    if (!known.contains(file)) added.push_back({file, as.weight, as.gain, problems_.at(node)});
  choice.clips.insert(choice.clips.end(), std::make_move_iterator(added.begin()), std::make_move_iterator(added.end()));
}

void SoundReader::list_settings(const Whole& whole, BookSound& sound) {
  for (const auto& key : book_keys()) {
    if (key.section != "sounds" || key.key == "like") continue;
    const toml::node* node = whole.keys.get(key.key);
    if (node == nullptr && key.standard.empty()) continue;
    const auto from = whole.from.find(key.key);
    sound.settings.push_back({std::string(key.key), node == nullptr ? std::string(key.standard) : in_book(*node),
                              node == nullptr            ? "default"
                              : from == whole.from.end() ? "own"
                                                         : from->second});
  }
}

}  // namespace tidewater
