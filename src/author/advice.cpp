#include "tidewater/author/advice.hpp"
#include "tidewater/error.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>
#include <unordered_set>

#include "author/book_clips.hpp"
#include "author/clip_facts.hpp"
#include "author/clip_folder.hpp"
#include "author/levels.hpp"
#include "author/loops.hpp"
#include "author/music_formats.hpp"
#include "tidewater/author/credits.hpp"

namespace tidewater {
namespace {

// Where listeners begin to notice.
constexpr double uneven_loudness = 3;   // LU between two clips of one sound
constexpr double uneven_length = 4;     // times as long
constexpr double uneven_octaves = 1.5;  // between where two clips have their balance
constexpr Seconds late{0.010};          // of silence at the head
constexpr double offset_heard = 0.01;   // of full scale: clicks when it is cut
constexpr double seam_factor = 3;       // times the steepest jump beside it
constexpr double least_seam = 0.02;
constexpr double wide_pitch = 7;  // st between the ends of a range
constexpr double wide_gain = 14;  // dB

std::string lower(std::string text) {
  for (char& c : text)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return text;
}

class Adviser {
 public:
  Adviser(const Book& book, const std::map<std::string, ClipFacts>& facts) : book_(book), facts_(facts) {}

  Checked run() {
    const Credits credits = credits_of(book_);
    unlicensed_.insert(credits.without.begin(), credits.without.end());
    for (const auto& event : book_.events)
      for (const auto& response : event.responses)
        if (response.kind == BookResponse::Kind::start) reached_.insert(response.sound);
    for (const auto& sound : book_.sounds)
      sound.each_clip([&](const BookLayer& layer, const BookClip& clip) { first_use_.try_emplace(clip.path, Use{&clip, &sound, &layer}); });
    for (const auto& [path, facts] : facts_)
      if (!facts.problem.empty())
        checked_.problems.push_back({first_use_.at(path).clip->place, fmt::format("clip '{}': {}", path, facts.problem)});
    for (const auto& [path, use] : first_use_) about_clip(path, use);
    for (const auto& sound : book_.sounds) about_sound(sound);
    about_files();
    about_licences();
    about_accepted();
    checked_.problems.insert(checked_.problems.end(), credits.problems.begin(), credits.problems.end());
    std::stable_sort(checked_.advice.begin(), checked_.advice.end(), [](const Advice& a, const Advice& b) {
      return std::pair(a.place.line, a.place.column) < std::pair(b.place.line, b.place.column);
    });
    return std::move(checked_);
  }

 private:
  struct Use {
    const BookClip* clip;
    const BookSound* sound;
    const BookLayer* layer;
  };

  bool accepts(std::string_view kind, const std::string& about) {
    bool accepted = false;
    for (const auto& a : book_.accepted) {
      if (a.advice != kind || !(a.about.empty() || Pattern(a.about, Pattern::Slashes::pass).fits(about))) continue;
      needed_.insert(&a);
      accepted = true;
    }
    return accepted;
  }

  void about_accepted() {
    for (const auto& a : book_.accepted)
      if (!needed_.contains(&a))
        checked_.advice.push_back({a.place, "needless-accepted", a.advice,
                                   fmt::format("nothing is left of the advice '{}'{} that is accepted here; take the entry out, or look "
                                               "whether its name still fits",
                                               a.advice, a.about.empty() ? "" : fmt::format(" about '{}'", a.about))});
  }

  void advise(const Place& place, std::string_view kind, const std::string& about, std::string message) {
    if (accepts(kind, about))
      ++checked_.accepted;
    else
      checked_.advice.push_back({place, std::string(kind), about, std::move(message)});
  }

  void about_clip(const std::string& path, const Use& use) {
    const ClipFacts& f = facts_.at(path);
    if (!f.problem.empty()) return;
    const Place& place = use.clip->place;
    if (f.loudness == silence)
      advise(place, "silent-clip", path, fmt::format("'{}' holds nothing that can be heard; export it again", path));
    if (f.leading_silence > late && f.loudness != silence)
      advise(
          place, "leading-silence", path,
          fmt::format("'{}' begins with {:.0f} ms of silence, so it is heard late; cut its head, or skip it with start-at = \"{:.0f} ms\"",
                      path, f.leading_silence.value * 1000, f.leading_silence.value * 1000));
    if (f.clipped > 0)
      advise(place, "clipping", path,
             fmt::format("'{}' is cut off at full scale in {} place{}, which crackles; record or export it lower", path, f.clipped,
                         f.clipped == 1 ? "" : "s"));
    if (std::abs(f.offset) > offset_heard)
      advise(place, "offset", path,
             fmt::format("'{}' lies {:.1f} % of full scale off the middle, so it clicks where it begins and ends; take the offset out",
                         path, f.offset * 100));
    const BookLoop& loop = use.layer->loop;
    if (loop.between == BookLoop::Between::whole && loop.crossfade == Seconds{} && f.seam > least_seam &&
        f.seam > seam_factor * f.steepest_near_seam)
      advise(
          place, "loop-seam", path,
          fmt::format(
              "the loop of '{}' jumps by {:.2f} of full scale at its seam, which clicks; cut it at a whole period, or set loop-crossfade = "
              "\"50 ms\"",
              path, f.seam));
    if (const auto level = level_for(book_, *use.sound)) {
      const Decibels trim = trim_for(f, *level);
      const double short_by = level->value - (f.loudness + trim).value;
      if (f.loudness != silence && short_by > 0.5)
        advise(
            place, "peaks", path,
            fmt::format(
                "'{}' reaches {:.1f} LUFS of the {:.1f} asked for: more would push its peaks over -1 dBTP; make it less spiky, or ask for "
                "less",
                path, (f.loudness + trim).value, level->value));
    }
  }

  /// Times of the book that some of a layer's clips are too short for: the shortest is named.
  void about_times(const BookSound& sound, const BookLayer& layer) {
    if (layer.loop.between != BookLoop::Between::none) return;
    const BookClip* shortest = nullptr;
    Seconds least, most;
    for (const auto& choice : layer.choices)
      for (const auto& clip : choice.clips) {
        const ClipFacts& f = facts_.at(clip.path);
        if (!f.problem.empty()) continue;
        if (shortest == nullptr || f.length < least) {
          shortest = &clip;
          least = f.length;
        }
        most = std::max(most, f.length);
      }
    if (shortest == nullptr) return;
    if (!layer.start_anywhere && layer.start_at.high >= least)
      advise(layer.place, "start-past-end", sound.name,
             fmt::format("'{}' is to begin at {}, but '{}' has {:.3f} s: {} nothing is heard", sound.name, to_text(layer.start_at.high),
                         shortest->path, least.value, layer.start_at.low >= most ? "each time" : "sometimes"));
    if (sound.fade_in > least)
      advise(sound.place, "long-fade-in", sound.name,
             fmt::format("the fade-in of '{}' takes {}, but '{}' has {:.3f} s: it never reaches its level", sound.name,
                         to_text(sound.fade_in), shortest->path, least.value));
  }

  void about_crossfade(const std::string& path, const Use& use) {
    try {
      const Audio audio = clip_audio(book_, path);
      const BookLoop& loop = use.layer->loop;
      const double alike = ends_alike(audio, loop_of(audio, loop), frames(loop.crossfade, audio.rate).value);
      if (alike < opposed)
        advise(
            loop.place, "opposed-ends", path,
            fmt::format("the ends that the loop-crossfade of '{}' blends oppose each other ({:+.2f}), so each round dips; move one end of "
                        "the loop by half a period",
                        path, alike));
    } catch (const Error&) {
      return;  // compiling says what is wrong with it
    }
  }

  void about_licences() {
    std::vector<std::string> without;
    for (const auto& path : unlicensed_)
      if (!accepts("no-licence", path)) without.push_back(path);
    checked_.accepted += unlicensed_.size() - without.size();
    if (without.empty()) return;
    checked_.advice.push_back(
        {{book_.file, 0, 0},
         "no-licence",
         without.front(),
         fmt::format("{} of {} clips have no licence on record, '{}' first; name them in credits.toml in the folder of clips "
                     "(`tidewater credits` lists them)",
                     without.size(), first_use_.size(), without.front())});
  }

  void about_placeholders(const BookSound& sound) {
    std::set<std::string> sketches, all;
    const BookClip* first = nullptr;
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      all.insert(clip.path);
      if (!facts_.at(clip.path).marked_placeholder || !sketches.insert(clip.path).second) return;
      if (first == nullptr) first = &clip;
    });
    if (first == nullptr) return;
    advise(first->place, "placeholder", sound.name,
           fmt::format("{} of {} clips of '{}' {}, '{}' first; replace {} before the game ships", sketches.size(), all.size(), sound.name,
                       sketches.size() == 1 ? "is a sketch" : "are sketches", first->path, sketches.size() == 1 ? "it" : "them"));
  }

  void about_sound(const BookSound& sound) {
    about_placeholders(sound);
    for (const auto& layer : sound.layers) about_times(sound, layer);
    std::set<std::pair<const BookLayer*, std::string>> told;
    sound.each_clip([&](const BookLayer& layer, const BookClip& clip) {
      if (layer.loop.crossfade > Seconds{} && told.insert({&layer, clip.path}).second) about_crossfade(clip.path, {&clip, &sound, &layer});
    });
    std::size_t most_clips = 0;
    for (const auto& layer : sound.layers)
      for (const auto& choice : layer.choices) {
        most_clips = std::max(most_clips, choice.clips.size());
        about_choice(sound, choice);
      }
    const auto width = [](const auto& range) { return range.low == range.high ? 0 : range.high.value - range.low.value; };
    if (width(sound.pitch) > wide_pitch)
      advise(sound.place, "wide-range", sound.name,
             fmt::format("the pitch of '{}' wanders over {:.1f} st, more than {:.0f}: it will sound like different things", sound.name,
                         width(sound.pitch), wide_pitch));
    if (width(sound.gain) > wide_gain)
      advise(sound.place, "wide-range", sound.name,
             sound.gain.low == silence
                 ? fmt::format("the level of '{}' begins at silence: some starts will be lost", sound.name)
                 : fmt::format("the level of '{}' wanders over {:.1f} dB, more than {:.0f}: some starts will be lost, or stick out",
                               sound.name, width(sound.gain), wide_gain));
    const bool loops =
        std::any_of(sound.layers.begin(), sound.layers.end(), [](const BookLayer& l) { return l.loop.between != BookLoop::Between::none; });
    if (loops && sound.retrigger == "overlap" && !sound.limit)
      advise(
          sound.place, "stacking-loop", sound.name,
          fmt::format("'{}' loops, and whenever it is asked for again one more of it plays over the others; write retrigger = \"ignore\", "
                      "or a limit",
                      sound.name));
    if (most_clips == 1 && sound.layers.size() == 1 && !loops && width(sound.pitch) == 0 && width(sound.gain) == 0)
      advise(
          sound.place, "no-variation", sound.name,
          fmt::format("'{}' has one clip and no range of pitch or gain: heard often, it grates; add a take, or pitch = \"-1 st .. 1 st\"",
                      sound.name));
    if (!reached_.contains(sound.name))
      advise(sound.place, "unreached-sound", sound.name,
             fmt::format("no event starts '{}', so nobody hears it; add an event, or take the sound out", sound.name));
  }

  /// Clips that take turns should be of one kind.
  void about_choice(const BookSound& sound, const BookChoice& choice) {
    std::vector<std::pair<const BookClip*, const ClipFacts*>> heard;
    for (const auto& clip : choice.clips)
      if (const ClipFacts& f = facts_.at(clip.path); f.problem.empty() && f.loudness != silence) heard.emplace_back(&clip, &f);
    if (heard.size() < 2) return;
    const auto compare = [&](std::string_view kind, double most, auto value, auto message) {
      const auto [least, highest] = std::minmax_element(heard.begin(), heard.end(),
                                                        [&](const auto& a, const auto& b) { return value(*a.second) < value(*b.second); });
      if (value(*highest->second) - value(*least->second) <= most) return;
      advise(highest->first->place, kind, sound.name, message(*least->first, *least->second, *highest->first, *highest->second));
    };
    if (!level_for(book_, sound))
      compare(
          "uneven-loudness", uneven_loudness, [](const ClipFacts& f) { return f.loudness.value; },
          [&](const BookClip& low, const ClipFacts& a, const BookClip& high, const ClipFacts& b) {
            return fmt::format(
                "'{}' has clips of different loudness: '{}' {:.1f} LUFS, '{}' {:.1f} LUFS; even them out, or set level in [book] or "
                "the group",
                sound.name, low.path, a.loudness.value, high.path, b.loudness.value);
          });
    compare(
        "uneven-length", std::log2(uneven_length), [](const ClipFacts& f) { return std::log2(f.length.value); },
        [&](const BookClip& low, const ClipFacts& a, const BookClip& high, const ClipFacts& b) {
          return fmt::format("'{}' has clips of very different length: '{}' {:.2f} s, '{}' {:.2f} s; are they takes of one thing?",
                             sound.name, low.path, a.length.value, high.path, b.length.value);
        });
    compare(
        "uneven-spectrum", uneven_octaves, [](const ClipFacts& f) { return std::log2(f.brightness.value); },
        [&](const BookClip& low, const ClipFacts& a, const BookClip& high, const ClipFacts& b) {
          return fmt::format(
              "'{}' has clips of very different colour: '{}' has its balance at {:.0f} Hz, '{}' at {:.0f} Hz; are they takes of one "
              "thing?",
              sound.name, low.path, a.brightness.value, high.path, b.brightness.value);
        });
  }

  void about_files() {
    const Place book{book_.file, 0, 0};
    std::map<std::string, std::string> used_stems;
    for (const auto& [path, use] : first_use_)
      used_stems.emplace(lower(std::filesystem::path(path).replace_extension().generic_string()), path);
    const ClipFolder folder(book_.clips_folder);
    for (const auto& file : folder.files()) {
      if (!is_clip_name(file) || first_use_.contains(file)) continue;
      const auto near = used_stems.find(lower(std::filesystem::path(file).replace_extension().generic_string()));
      if (near != used_stems.end())
        advise(
            book, "near-name", file,
            fmt::format("'{}' differs from '{}' only in case or ending, and only the latter is used; which is meant?", file, near->second));
      else
        advise(book, "unused-clip", file, fmt::format("no sound uses '{}'; add it to one, or take it out of the folder", file));
    }
  }

  const Book& book_;
  const std::map<std::string, ClipFacts>& facts_;
  std::map<std::string, Use> first_use_;
  std::set<std::string> unlicensed_;
  std::unordered_set<std::string> reached_;  ///< sounds that an event starts
  std::set<const BookAccepted*> needed_;
  Checked checked_;
};

}  // namespace

std::string to_text(const Advice& advice) { return to_text(Problem{advice.place, fmt::format("{}: {}", advice.kind, advice.message)}); }

Checked check_clips(const Book& book, const std::function<void(std::size_t, std::size_t)>& progress) {
  return Adviser(book, facts_of(book, progress)).run();
}

std::set<std::string> placeholders_of(const Book& book) {
  std::set<std::string> placeholders;
  for (const auto& [path, facts] : facts_of(book))
    if (facts.marked_placeholder) placeholders.insert(path);
  return placeholders;
}

const std::vector<AdviceKind>& advice_kinds() {
  static const std::vector<AdviceKind> kinds = {
      {"unused-clip", "a file in the folder of clips that no sound uses"},
      {"near-name", "an unused file whose name differs from a used one only in case or ending"},
      {"unreached-sound", "a sound that no event starts"},
      {"uneven-loudness", "clips that take turns, more than 3 LU apart (not where a level evens them out)"},
      {"uneven-length", "clips that take turns, one more than four times as long as another"},
      {"uneven-spectrum", "clips that take turns, their balance more than an octave and a half apart"},
      {"silent-clip", "a clip in which nothing can be heard"},
      {"leading-silence", "more than 10 ms of silence at the head: the sound is late"},
      {"clipping", "three samples or more in a row at full scale"},
      {"offset", "a mean of more than 1 % of full scale"},
      {"loop-seam", "a loop whose last sample is far from its first"},
      {"start-past-end", "a start-at beyond the end of its clip"},
      {"long-fade-in", "a fade-in that is longer than its clip"},
      {"opposed-ends", "a loop whose crossfade blends what cancels out"},
      {"wide-range", "a pitch range over 7 st or a gain range over 14 dB"},
      {"no-variation", "a sound with one clip and no range of pitch or gain"},
      {"stacking-loop", "a loop that may play many times over itself: neither retrigger nor limit keeps it from that"},
      {"peaks", "a clip whose peaks keep it from the level that is asked for"},
      {"placeholder", "a sketch that stands in for a real clip"},
      {"no-licence", "a clip without a licence in credits.toml or the book"},
      {"needless-accepted", "an `[[accepted]]` that keeps nothing quiet any more"},
  };
  return kinds;
}

}  // namespace tidewater
