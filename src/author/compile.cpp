#include "tidewater/author/compile.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>

#include "author/book_clips.hpp"
#include "author/bring_to_rate.hpp"
#include "author/levels.hpp"
#include "author/loops.hpp"
#include "bank/bank_data.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

std::string lines(const std::vector<Problem>& problems) {
  std::string all;
  for (const auto& problem : problems) all += (all.empty() ? "" : "\n") + to_text(problem);
  return all;
}

/// What is longer than this plays from disk, unless the book says otherwise.
constexpr Seconds longest_in_memory{30};
constexpr Seconds shortest_streamed{1};

/// Where a clip is named, and by which layer.
struct ClipUse {
  const BookLayer* layer;
  Place place;
};

/// Decodes each clip once, hands it on with all its uses, and gathers what cannot be played.
std::vector<Problem> each_clip(const Book& book,
                               const std::function<void(const std::string&, const std::vector<ClipUse>&, const Audio&)>& take) {
  std::map<std::string, std::vector<ClipUse>> uses;
  for (const auto& sound : book.sounds)
    sound.each_clip([&](const BookLayer& layer, const BookClip& clip) { uses[clip.path].push_back({&layer, clip.place}); });
  std::vector<Problem> problems;
  for (const auto& [path, used] : uses) {
    const ClipUse* at = &used.front();
    try {
      const Audio audio = clip_audio(book, path);
      for (const auto& use : used) {
        at = &use;
        if (use.layer->loop.region != BookLoop::Region::none) loop_of(audio, use.layer->loop);  // throws what is wrong with it
      }
      at = &used.front();
      take(path, used, audio);
    } catch (const Error& error) {
      problems.push_back({at->place, fmt::format("clip '{}': {}", path, error.what())});
    }
  }
  return problems;
}

bool streams(const BookLayer& layer, const Audio& audio) {
  const bool whole = layer.loop.region <= BookLoop::Region::whole && layer.loop.crossfade == Seconds{};
  if (audio.rendered || !whole || audio.length() < shortest_streamed) return false;
  return layer.stream.value_or(audio.length() > longest_in_memory);
}

/// The clips of a bank, each once for every way in which it is used.
class ClipShelf {
 public:
  ClipShelf(const Book& book, BankData& data) : book_(book), data_(data) {
    const bool levelled =
        std::any_of(book.sounds.begin(), book.sounds.end(), [&](const BookSound& s) { return level_for(book, s).has_value(); });
    if (levelled) facts_ = facts_of(book);
  }

  void put(const std::string& path, const BookLayer& layer, const Audio& audio) {
    std::uint32_t& number = numbers_[{path, &layer}];
    const bool streamed = streams(layer, audio);
    for (const auto& made : made_)
      if (made.path == path && made.streamed == streamed && (streamed || made.loop == layer.loop)) {
        number = made.number;
        return;
      }
    number = static_cast<std::uint32_t>(data_.clips.size());
    made_.push_back({path, streamed, layer.loop, number});
    if (streamed) {
      const std::string file = std::filesystem::absolute(clip_file(book_, path)).string();
      data_.clips.push_back(make_streamed_clip(path, file, audio.channels, audio.rate, audio.samples));
      return;
    }
    const bool sixteen_bits = audio.sixteen_bits && audio.rate == data_.rate && layer.loop.crossfade == Seconds{};
    const LoopedAudio ready = bring_to_rate(cut_loop(audio, layer.loop), data_.rate);
    data_.clips.push_back(make_clip(path, ready.audio.channels, ready.audio.samples, sixteen_bits));
    data_.clips.back().loop_from = ready.loop_from;
  }

  Decibels trim(const std::string& path, Decibels level) const { return trim_for(facts_.at(path), level); }
  std::uint32_t number(const std::string& path, const BookLayer& layer) const { return numbers_.at({path, &layer}); }

 private:
  struct Made {
    std::string path;
    bool streamed;
    BookLoop loop;
    std::uint32_t number;
  };

  const Book& book_;
  BankData& data_;
  std::map<std::pair<std::string, const BookLayer*>, std::uint32_t> numbers_;
  std::vector<Made> made_;
  std::map<std::string, ClipFacts> facts_;  ///< only where a level is asked for
};

template <class Items>
std::map<std::string, std::uint32_t> numbered(const Items& items) {
  std::map<std::string, std::uint32_t> numbers;
  for (const auto& item : items) numbers.emplace(item.name, static_cast<std::uint32_t>(numbers.size()));
  return numbers;
}

/// The sound's own, or that of the nearest group above it that has one.
std::optional<Quality> quality_of(const BookSound& sound, const Book& book) {
  std::string name = sound.group;
  std::string quality = sound.quality;
  while (quality.empty() && !name.empty()) {
    const auto group = std::find_if(book.groups.begin(), book.groups.end(), [&](const BookGroup& g) { return g.name == name; });
    quality = group->quality;
    name = group->parent;
  }
  if (quality.empty()) return std::nullopt;
  return quality == "fine" ? Quality::fine : Quality::standard;
}

std::size_t draw_named(const std::string& key) {
  constexpr std::array<std::string_view, draw_count> keys = {"gain", "pitch", "pan", "delay", "low-pass"};
  return static_cast<std::size_t>(std::find(keys.begin(), keys.end(), key) - keys.begin());
}

BankLayer bank_layer(const BookLayer& layer, const ClipShelf& shelf, std::optional<Decibels> level) {
  BankLayer made;
  made.name = layer.name;
  made.by = layer.by;
  made.pick = layer.pick == "shuffle" ? Pick::shuffle : layer.pick == "random" ? Pick::random : Pick::in_order;
  made.gain = layer.gain;
  made.pitch = layer.pitch;
  made.delay = layer.delay;
  made.start_at = layer.start_at;
  made.start_anywhere = layer.start_anywhere;
  made.chance = layer.chance;
  made.loop = layer.loop.region != BookLoop::Region::none;
  for (const auto& choice : layer.choices) {
    BankChoice& to = made.choices.emplace_back();
    to.values = choice.values;
    for (const auto& clip : choice.clips)
      to.clips.push_back({shelf.number(clip.path, layer), clip.weight, level ? shelf.trim(clip.path, *level) : Decibels{}});
  }
  return made;
}

}  // namespace

Bank compile(const Book& book, const CompileOptions& options) {
  auto data = std::make_shared<BankData>();
  data->name = book.name;
  data->rate = options.rate;

  ClipShelf shelf(book, *data);
  const auto problems = each_clip(book, [&](const std::string& path, const std::vector<ClipUse>& uses, const Audio& audio) {
    for (const auto& use : uses) shelf.put(path, *use.layer, audio);
  });
  if (!problems.empty()) throw Error(lines(problems));

  const auto groups = numbered(book.groups);
  for (const auto& group : book.groups)
    data->groups.push_back(
        {group.name, group.parent.empty() ? 0 : groups.at(group.parent), group.gain, group.muted, group.low_pass, group.high_pass});

  for (const auto& sound : book.sounds) {
    BankSound made;
    made.name = sound.name;
    made.group = groups.at(sound.group);
    for (const auto& layer : sound.layers) made.layers.push_back(bank_layer(layer, shelf, level_for(book, sound)));
    made.gain = sound.gain;
    made.pitch = sound.pitch;
    made.pan = sound.pan;
    made.delay = sound.delay;
    made.low_pass = sound.low_pass;
    made.high_pass = sound.high_pass;
    made.towards_middle = sound.spread == "middle";
    for (const auto& key : sound.together) made.together[draw_named(key)] = true;
    made.each_emitter = sound.each_emitter;
    made.rank = sound.rank;
    made.quality = quality_of(sound, book);
    made.fade_in = sound.fade_in;
    made.fade_out = sound.fade_out;
    data->sounds.push_back(std::move(made));
  }

  const auto sounds = numbered(book.sounds);
  for (const auto& event : book.events) {
    BankEvent made{event.name, {}};
    for (const auto& response : event.responses)
      made.responses.push_back({response.kind == BookResponse::Kind::start ? BankResponse::Kind::start : BankResponse::Kind::stop,
                                sounds.at(response.sound), response.delay, response.fade});
    data->events.push_back(std::move(made));
  }
  return Bank(std::move(data));
}

Bank compile_book(const std::string& path, const CompileOptions& options) {
  const ReadBook read = read_book(path);
  if (!read.problems.empty()) throw Error(lines(read.problems));
  return compile(read.book, options);
}

}  // namespace tidewater
