#include "tidewater/author/compile.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>

#include "author/bring_to_rate.hpp"
#include "author/music_formats.hpp"
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

struct ClipUse {
  Place place;
  bool loop = false;
  bool in_memory = false;  ///< a sound wants it there
  bool streamed = false;   ///< a sound wants it from disk
  bool undecided = false;  ///< a sound leaves it to the length
};

/// One clip of a bank in memory, and the same from disk.
struct ClipNumbers {
  std::optional<std::uint32_t> in_memory, streamed;
  bool long_one = false;
};

std::string clip_file(const Book& book, const std::string& path) { return (std::filesystem::path(book.clips_folder) / path).string(); }

/// Decodes each clip once, hands it on, and gathers what cannot be played.
std::vector<Problem> each_clip(const Book& book, const std::function<void(const std::string&, const ClipUse&, Audio)>& take) {
  std::map<std::string, ClipUse> uses;
  for (const auto& sound : book.sounds)
    for (const auto& clip : sound.clips) {
      auto& use = uses.try_emplace(clip.path, ClipUse{.place = clip.place}).first->second;
      use.loop = use.loop || sound.loop;
      if (sound.stream) (*sound.stream ? use.streamed : use.in_memory) = true;
      use.undecided = use.undecided || !sound.stream;
    }
  std::vector<Problem> problems;
  for (const auto& [path, use] : uses) {
    try {
      take(path, use, decode_clip(clip_file(book, path), book.soundfont));
    } catch (const Error& error) {
      problems.push_back({use.place, fmt::format("clip '{}': {}", path, error.what())});
    }
  }
  return problems;
}

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

}  // namespace

std::vector<Problem> check_clips(const Book& book) {
  return each_clip(book, [](const std::string&, const ClipUse&, const Audio&) {});
}

Bank compile(const Book& book, const CompileOptions& options) {
  auto data = std::make_shared<BankData>();
  data->name = book.name;
  data->rate = options.rate;

  std::map<std::string, ClipNumbers> clips;
  const auto problems = each_clip(book, [&](const std::string& path, const ClipUse& use, Audio audio) {
    ClipNumbers& numbers = clips[path];
    const bool may_stream = audio.length() >= shortest_streamed && !audio.rendered;
    const bool long_one = numbers.long_one = audio.length() > longest_in_memory;
    if (may_stream && (use.streamed || (use.undecided && long_one))) {
      numbers.streamed = static_cast<std::uint32_t>(data->clips.size());
      data->clips.push_back(
          make_streamed_clip(path, std::filesystem::absolute(clip_file(book, path)).string(), audio.channels, audio.rate, audio.samples));
    }
    if (numbers.streamed && !use.in_memory && (!use.undecided || long_one)) return;
    const bool sixteen_bits = audio.sixteen_bits && audio.rate == options.rate;
    audio = bring_to_rate(std::move(audio), options.rate, use.loop);
    numbers.in_memory = static_cast<std::uint32_t>(data->clips.size());
    data->clips.push_back(make_clip(path, audio.channels, audio.samples, sixteen_bits));
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
    for (const auto& clip : sound.clips) {
      const ClipNumbers& numbers = clips.at(clip.path);
      const bool from_disk = numbers.streamed && (!numbers.in_memory || sound.stream.value_or(numbers.long_one));
      made.clips.push_back(from_disk ? *numbers.streamed : *numbers.in_memory);
    }
    made.pick = sound.pick == "shuffle" ? Pick::shuffle : sound.pick == "random" ? Pick::random : Pick::in_order;
    made.gain = sound.gain;
    made.pitch = sound.pitch;
    made.pan = sound.pan;
    made.rank = sound.rank;
    made.low_pass = sound.low_pass;
    made.high_pass = sound.high_pass;
    made.quality = quality_of(sound, book);
    made.loop = sound.loop;
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
