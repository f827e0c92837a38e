#include "tidewater/author/compile.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <memory>
#include <optional>

#include "author/book/group_settings.hpp"
#include "author/book/read_scopes.hpp"
#include "author/clips/levels.hpp"
#include "author/clips/prepared_clips.hpp"
#include "author/clips/track_clock.hpp"
#include "author/clips/ways.hpp"
#include "author/compile/compile_kept.hpp"
#include "author/compile/content.hpp"
#include "author/compile/weights.hpp"
#include "bank/bank_data.hpp"
#include "base/rates.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

std::string lines(const std::vector<Problem>& problems) {
  std::string all;
  for (const auto& problem : problems) all += (all.empty() ? "" : "\n") + to_text(problem);
  return all;
}

template <class Items>
std::map<std::string, std::uint32_t> numbered(const Items& items) {
  std::map<std::string, std::uint32_t> numbers;
  for (const auto& item : items) numbers.emplace(item.name, static_cast<std::uint32_t>(numbers.size()));
  return numbers;
}

/// The sound's own, or that of the nearest group above it that has one.
std::optional<Quality> quality_of(const BookSound& sound, const Book& book) {
  if (sound.quality) return sound.quality;
  const BookGroup* group = nearest_group(book, sound, [](const BookGroup& g) { return g.quality.has_value(); });
  return group == nullptr ? std::nullopt : group->quality;
}

bool preloads(const BookSound& sound, const Book& book) {
  if (sound.preload) return *sound.preload;
  const BookGroup* group = nearest_group(book, sound, [](const BookGroup& g) { return g.preload.has_value(); });
  return group == nullptr || *group->preload;
}

/// What the bank takes over as the book says it.
template <class Design, class From>
const Design& design_of(const From& from) {
  return from;
}

/// Turns weights as a book has them, shares in the long run, into those of the draws that give them.
void weigh(BankChoice& choice) {
  choice.weighted = std::any_of(choice.clips.begin(), choice.clips.end(), [](const BankClipUse& use) { return use.weight != 1; });
  if (!choice.weighted) return;
  std::vector<double> weights;
  for (const auto& use : choice.clips) weights.push_back(use.weight);
  const SolvedWeights solved = solve_weights(std::move(weights));
  for (std::size_t i = 0; i < choice.clips.size(); ++i) choice.clips[i].weight = solved.draw[i];
  choice.heavy = solved.heavy;
  choice.again = solved.again;
}

/// `trim` says how much louder a clip is made.
template <class Trim>
BankLayer bank_layer(const BookLayer& layer, const PreparedClips& prepared, Trim trim) {
  BankLayer made{design_of<LayerDesign>(layer), layer.name, {layer.by.begin(), layer.by.end()}, {}};
  made.loop = layer.loop.loops();
  for (const auto& choice : layer.choices) {
    BankChoice& to = made.choices.emplace_back();
    to.values.assign(choice.values.begin(), choice.values.end());
    for (const auto& clip : choice.clips)
      to.clips.push_back({prepared.number(clip.path, layer), clip.weight, trim(clip.path) + clip.gain, static_cast<float>(clip.weight)});
    weigh(to);
  }
  return made;
}

/// A list of tracks. It has no clip of its own to tell the time by.
BankTrack list_of(const BookSound& sound) {
  BankTrack list;
  static_cast<TrackDesign&>(list) = *sound.track;
  list.rate = {48000};
  list.frames = 1;
  list.list.assign(sound.list.begin(), sound.list.end());
  return list;
}

/// Reads rate and length of the clips of all tracks, by path.
std::map<std::string, ClipFacts> facts_of_tracks(const Book& book, KeptClips* kept) {
  Book tracks;
  tracks.file = book.file;
  tracks.clips_folder = book.clips_folder;
  tracks.soundfont = book.soundfont;
  tracks.speech = book.speech;
  tracks.languages = book.languages;
  tracks.sketches = book.sketches;
  for (const BookSound& sound : book.sounds)
    if (sound.track && sound.list.empty()) tracks.sounds.push_back(sound);
  return tracks.sounds.empty() ? std::map<std::string, ClipFacts>() : facts_of(tracks, {}, kept);
}

}  // namespace

Bank compile(const Book& book, const CompileOptions& options) { return compile_kept(book, options, nullptr); }

Bank compile_kept(const Book& book, const CompileOptions& options, KeptClips* kept) {
  constexpr Hertz usual_rate{48000};
  const BookTarget* target = target_called(book, options.target);
  const Hertz rate = options.rate != Hertz{} ? options.rate : target != nullptr && target->rate != Hertz{} ? target->rate : usual_rate;
  check_rate(rate, "the bank");
  auto data = std::make_shared<BankData>();
  data->name = book.name;
  data->rate = rate;
  data->target = options.target;
  data->language = options.language;

  PreparedClips prepared(book, rate, target, options.language, options.progress, kept);
  if (!prepared.problems().empty()) throw Error(lines(prepared.problems()));
  data->clips = prepared.take_clips();
  const bool levelled =
      std::any_of(book.sounds.begin(), book.sounds.end(), [&](const BookSound& s) { return level_for(book, s).has_value(); });
  const auto facts = levelled ? facts_of(book, {}, kept) : std::map<std::string, ClipFacts>();

  const auto track_facts = facts_of_tracks(book, kept);
  const auto track_of = [&](const BankSound& made, const BookSound& sound) {
    if (const std::vector<Problem> wrong = wrong_in_track(sound, track_facts); !wrong.empty()) throw Error(lines(wrong));
    const BankClip& first = data->clips[made.layers.front().choices.front().clips.front().clip];
    for (const BankLayer& stem : made.layers)
      if ((data->clips[stem.choices.front().clips.front().clip].streamed == nullptr) != (first.streamed == nullptr))
        throw Error(to_text(Problem{sound.place, fmt::format("some stems of '{}' stream and some do not: give the track a stream = true or "
                                                             "stream = false",
                                                             sound.name)}));
    return bank_track(sound, first, track_facts.at(sound.layers.front().choices.front().clips.front().path).shape, rate);
  };
  for (BankClip& clip : data->clips) clip.preload = false;
  const auto groups = numbered(book.groups);
  for (const auto& group : book.groups)
    data->groups.push_back({design_of<GroupDesign>(group),
                            group.name,
                            group.parent.empty() ? 0 : groups.at(group.parent),
                            {group.ducks.begin(), group.ducks.end()}});

  const auto scopes = numbered(book.scopes);
  data->scopes.clear();
  for (const auto& scope : book.scopes)
    data->scopes.push_back({design_of<ScopeDesign>(scope), scope.name, scope.parent.empty() ? 0 : scopes.at(scope.parent), scope.mood});
  for (const auto& trait : book.traits) data->traits.push_back({trait.name, {trait.values.begin(), trait.values.end()}});
  for (const auto& mood : book.moods) data->moods.push_back({design_of<MoodDesign>(mood), mood.name});
  for (const auto& gauge : book.gauges) data->gauges.push_back({design_of<GaugeDesign>(gauge), gauge.name});
  for (const auto& sound : book.sounds) {
    BankSound made{design_of<SoundDesign>(sound), sound.name, {}, groups.at(sound.group), scopes.at(scope_of(book, sound)), {}};
    made.quality = quality_of(sound, book);
    for (const auto& layer : sound.layers) {
      const auto level = level_for(book, sound);
      made.layers.push_back(
          bank_layer(layer, prepared, [&](const std::string& path) { return level ? trim_for(facts.at(path), *level) : Decibels{}; }));
    }
    if (preloads(sound, book))
      sound.each_clip([&](const BookLayer& layer, const BookClip& clip) { data->clips[prepared.number(clip.path, layer)].preload = true; });
    if (!sound.list.empty())
      made.track.push_back(list_of(sound));
    else if (sound.track)
      made.track.push_back(track_of(made, sound));
    data->sounds.push_back(std::move(made));
  }

  const auto sounds = numbered(book.sounds);
  for (const auto& event : book.events) {
    BankEvent made{event.name, {}};
    for (const auto& response : event.responses) {
      BankResponse& to = made.responses.emplace_back(BankResponse{design_of<ResponseDesign>(response), 0, {}, {}});
      if (to.acts_on_sound())
        to.target = sounds.at(response.target);
      else
        to.name = response.target;
      for (const BookTrait& trait : response.when) to.when.push_back({trait.name, trait.value});
    }
    data->events.push_back(std::move(made));
  }
  note_contents(*data, kept);
  return bank_of(std::move(data));
}

struct Compiler::State {
  KeptClips kept;
};

Compiler::Compiler() : state_(std::make_unique<State>()) {}
Compiler::~Compiler() = default;

std::vector<Bank> Compiler::compile_banks(const Book& book, const CompileOptions& options) {
  std::vector<Bank> banks = compile_banks_kept(book, options, &state_->kept);
  state_->kept.end_round();
  return banks;
}

Bank compile_book(const std::string& path, const CompileOptions& options) {
  const ReadBook read = read_book(path);
  if (!read.problems.empty()) throw Error(lines(read.problems));
  return compile(read.book, options);
}

}  // namespace tidewater
