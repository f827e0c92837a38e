#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "author/advice/advising.hpp"
#include "author/book/group_settings.hpp"
#include "author/clips/book_clips.hpp"
#include "author/clips/levels.hpp"
#include "author/clips/loops.hpp"
#include "author/clips/track_clock.hpp"
#include "author/folder/pattern.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

// Where listeners begin to notice.
constexpr double uneven_loudness = 3;   // LU between two clips of one sound
constexpr double uneven_length = 4;     // times as long
constexpr double uneven_octaves = 1.5;  // between where two clips have their balance
constexpr double wide_pitch = 7;        // st between the ends of a range
constexpr double wide_gain = 14;        // dB
// What is so long, or starts so seldom, does not grate.
constexpr Seconds long_clip{4};
constexpr Seconds seldom{5};

constexpr Metres everywhere{1000};
constexpr std::array<std::string_view, 9> of_the_world = {"near", "far",     "radius", "distance", "rolloff",
                                                          "cone", "doppler", "air",    "when-gone"};

template <class T>
double width(const Range<T>& range) {
  return range.low == range.high ? 0 : range.high.value - range.low.value;
}

bool loops(const BookLayer& layer) { return layer.loop.loops(); }

/// Calls `take` once for each clip of a layer that can be played.
template <class F>
void each_playable(const Advising& advising, const BookLayer& layer, F take) {
  std::set<std::string_view> passed;
  for (const auto& choice : layer.choices)
    for (const auto& clip : choice.clips)
      if (advising.facts(clip.path).problem.empty() && passed.insert(clip.path).second) take(clip);
}

/// Times of the book that some of a layer's clips are too short for: the shortest is named.
void about_times(Advising& advising, const BookSound& sound, const BookLayer& layer) {
  if (loops(layer)) return;
  const BookClip* shortest = nullptr;
  Seconds least, most;
  each_playable(advising, layer, [&](const BookClip& clip) {
    const Seconds length = advising.facts(clip.path).length;
    if (shortest == nullptr || length < least) {
      shortest = &clip;
      least = length;
    }
    most = std::max(most, length);
  });
  if (shortest == nullptr) return;
  if (!layer.start_anywhere && layer.start_at.high >= least)
    advising.advise(
        layer.place, "start-past-end", sound.name, (layer.start_at.high - least).value,
        fmt::format("'{}' is to begin at {}, but '{}' has {:.3f} s: {} nothing is heard", sound.name, to_text(layer.start_at.high),
                    shortest->path, least.value, layer.start_at.low >= most ? "each time" : "sometimes"));
  if (sound.fade_in > least)
    advising.advise(sound.place, "long-fade-in", sound.name, (sound.fade_in - least).value,
                    fmt::format("the fade-in of '{}' takes {}, but '{}' has {:.3f} s: it never reaches its level", sound.name,
                                to_text(sound.fade_in), shortest->path, least.value));
}

void about_crossfade(Advising& advising, const BookLayer& layer, const BookClip& clip) {
  const Audio audio = clip_audio(advising.book(), clip.path);
  const double alike = ends_alike(audio, loop_of(shape_of(audio), layer.loop), frames(layer.loop.crossfade, audio.rate).value);
  if (alike < opposed)
    advising.advise(layer.loop.place, "opposed-ends", clip.path, -alike,
                    fmt::format("the ends that the loop-crossfade of '{}' blends oppose each other ({:+.2f}), so each round dips; move one "
                                "end of the loop by half a period",
                                clip.path, alike));
}

/// A loop that a clip cannot have is a problem: compiling looks for its points by the same code.
void about_loop(Advising& advising, const BookLayer& layer) {
  if (!loops(layer) || layer.loop.between == BookLoop::Between::beats) return;
  std::string problem;
  std::size_t more = 0;
  each_playable(advising, layer, [&](const BookClip& clip) {
    try {
      loop_of(advising.facts(clip.path).shape, layer.loop);
      if (layer.loop.crossfade > Seconds{}) about_crossfade(advising, layer, clip);
    } catch (const Error& error) {
      if (problem.empty())
        problem = fmt::format("clip '{}': {}", clip.path, error.what());
      else
        ++more;
    }
  });
  if (more > 0) problem += fmt::format("; so it is with {} more of its clips", more);
  if (!problem.empty()) advising.problem(layer.loop.place, problem);
}

template <class Take>
void each_playable_stem(const Advising& advising, const BookSound& sound, Take take) {
  for (const BookLayer& stem : sound.layers) each_playable(advising, stem, [&](const BookClip& clip) { take(stem, clip); });
}

/// A clip that is longer than its bars: the rest is never heard, or the tempo is wrong.
void about_bars(Advising& advising, const BookSound& sound) {
  constexpr Seconds much{0.01};
  const Seconds end = end_of_parts(sound);
  each_playable_stem(advising, sound, [&](const BookLayer&, const BookClip& clip) {
    const Seconds over = advising.facts(clip.path).length - end;
    if (over > much)
      advising.advise(
          clip.place, "off-bars", clip.path, over.value,
          fmt::format("'{}' is {:.3f} s longer than the bars of '{}', which end at {:.3f} s: what lies behind them is not heard; "
                      "look at the tempo and the parts, or cut the clip",
                      clip.path, over.value, sound.name, end.value));
  });
}

/// The last sample of a round is far from the first of the next.
void about_part_seam(Advising& advising, const BookSound& sound, const BookLayer& stem, const BookClip& clip) {
  constexpr double least_jump = 0.02, factor = 3;
  const Audio audio = clip_audio(advising.book(), clip.path);
  const Range<Frames> region = loop_of(shape_of(audio), stem.loop);
  const auto width = static_cast<std::int64_t>(audio.channels);
  const auto sample = [&](std::int64_t frame) { return static_cast<double>(audio.samples[static_cast<std::size_t>(frame * width)]); };
  const double jump = std::abs(sample(region.high.value - 1) - sample(region.low.value));
  // An attack on the first beat is one also where the first round begins.
  double steepest = std::abs(sample(region.low.value) - (region.low.value > 0 ? sample(region.low.value - 1) : 0));
  const std::int64_t near = frames(Seconds{0.02}, audio.rate).value;
  for (std::int64_t i = std::max(region.low.value, region.high.value - near); i + 1 < region.high.value; ++i)
    steepest = std::max(steepest, std::abs(sample(i + 1) - sample(i)));
  if (jump > least_jump && jump > factor * steepest)
    advising.advise(
        clip.place, "part-seam", clip.path, jump,
        fmt::format("the round of '{}' jumps by {:.2f} of full scale in '{}' where it goes round, which clicks; let the bar before "
                    "it lead into the first bar of the round",
                    sound.name, jump, clip.path));
}

/// Lists the mistakes for which compiling a track would fail, so that `check` finds them first.
void about_track(Advising& advising, const BookSound& sound) {
  if (!sound.track) return;
  const std::vector<Problem> wrong = wrong_in_track(sound, advising.all_facts());
  for (const Problem& problem : wrong) advising.problem(problem.place, problem.message);
  if (!wrong.empty() || sound.track->tempo.value == 0 || sound.track->parts.empty()) return;
  if (sound.track->ending.empty()) about_bars(advising, sound);
  each_playable_stem(advising, sound, [&](const BookLayer& stem, const BookClip& clip) {
    if (stem.loop.between == BookLoop::Between::beats) about_part_seam(advising, sound, stem, clip);
  });
}

void about_placeholders(Advising& advising, const BookSound& sound) {
  std::set<std::string> sketches, all;
  const BookClip* first = nullptr;
  sound.each_clip([&](const BookLayer&, const BookClip& clip) {
    all.insert(clip.path);
    if (!advising.facts(clip.path).marked_placeholder || !sketches.insert(clip.path).second) return;
    if (first == nullptr) first = &clip;
  });
  if (first == nullptr) return;
  advising.advise(
      first->place, "placeholder", sound.name, 0,
      fmt::format("{} of {} clips of '{}' {}, '{}' first; replace {} before the game ships", sketches.size(), all.size(), sound.name,
                  sketches.size() == 1 ? "is a sketch" : "are sketches", first->path, sketches.size() == 1 ? "it" : "them"));
}

void about_ranges(Advising& advising, const BookSound& sound) {
  if (width(sound.pitch) > wide_pitch)
    advising.advise(sound.place, "wide-range", sound.name, width(sound.pitch) / wide_pitch,
                    fmt::format("the pitch of '{}' wanders over {:.1f} st, more than {:.0f}: it will sound like different things",
                                sound.name, width(sound.pitch), wide_pitch));
  if (width(sound.gain) > wide_gain)
    advising.advise(sound.place, "wide-range", sound.name, width(sound.gain) / wide_gain,
                    sound.gain.low == silence
                        ? fmt::format("the level of '{}' begins at silence: some starts will be lost", sound.name)
                        : fmt::format("the level of '{}' wanders over {:.1f} dB, more than {:.0f}: some starts will be lost, or stick out",
                                      sound.name, width(sound.gain), wide_gain));
}

/// What belongs together by a name that teams give such groups: never to be bent or tired of.
bool background(const Book& book, const BookSound& sound) {
  const BookGroup* group = nearest_group(book, sound, [](const BookGroup& g) {
    constexpr std::array<std::string_view, 7> names = {"music", "ambience", "ambiance", "ambient", "atmosphere", "speech", "dialogue"};
    return std::any_of(names.begin(), names.end(), [&](std::string_view name) { return g.name.find(name) != std::string::npos; });
  });
  return group != nullptr;
}

void about_variation(Advising& advising, const BookSound& sound) {
  if (sound.layers.size() != 1 || loops(sound.layers.front()) || sound.spacing >= seldom || background(advising.book(), sound)) return;
  const BookLayer& layer = sound.layers.front();
  if (width(sound.pitch) > 0 || width(sound.gain) > 0 || width(layer.start_at) > 0 || layer.start_anywhere) return;
  bool any = false;
  for (const auto& choice : layer.choices) {
    if (choice.clips.size() > 1) return;
    for (const auto& clip : choice.clips) {
      if (advising.facts(clip.path).length >= long_clip) return;
      any = true;
    }
  }
  if (!any || !advising.reached(sound)) return;
  advising.advise(
      sound.place, "no-variation", sound.name, 0,
      fmt::format("'{}' has one clip and no range of pitch or gain: heard often, it grates; add a take, or pitch = \"-1 st .. 1 st\"",
                  sound.name));
}

/// Clips that take turns should be of one kind.
void about_choice(Advising& advising, const BookSound& sound, const BookChoice& choice) {
  std::vector<std::pair<const BookClip*, const ClipFacts*>> heard;
  for (const auto& clip : choice.clips)
    if (const ClipFacts& f = advising.facts(clip.path); f.problem.empty() && f.loudness != silence) heard.emplace_back(&clip, &f);
  if (heard.size() < 2) return;
  const auto compare = [&](std::string_view kind, double most, auto value, auto message) {
    const auto [least, highest] =
        std::minmax_element(heard.begin(), heard.end(), [&](const auto& a, const auto& b) { return value(*a.second) < value(*b.second); });
    const double apart = value(*highest->second) - value(*least->second);
    if (apart > most)
      advising.advise(highest->first->place, kind, sound.name, apart,
                      message(*least->first, *least->second, *highest->first, *highest->second));
  };
  if (!level_for(advising.book(), sound))
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

/// What it says of its place.
void about_place(Advising& advising, const BookSound& sound) {
  const bool in_world = sound.world.place == Where::world;
  for (const BookSetting& setting : sound.settings) {
    const bool its = setting.from == "own" || setting.from.empty();
    const bool of_world = std::find(of_the_world.begin(), of_the_world.end(), setting.key) != of_the_world.end();
    if (!its || (in_world ? setting.key != "pan" : !of_world)) continue;
    advising.advise(
        sound.place, "no-effect", sound.name, 0,
        in_world ? fmt::format("'{}' is in the world, where its place says from which side it is heard: its pan has no effect", sound.name)
                 : fmt::format("'{}' is on the screen, where its {} has no effect; write place = \"world\"", sound.name, setting.key));
  }
  if (!in_world) return;
  if (sound.world.silent_from >= everywhere)
    advising.advise(sound.place, "heard-everywhere", sound.name, sound.world.silent_from.value,
                    fmt::format("'{}' is heard up to {} away: wherever it is, it takes a voice from others; is that meant?", sound.name,
                                to_text(sound.world.silent_from)));
  for (const auto& layer : sound.layers)
    each_playable(advising, layer, [&](const BookClip& clip) {
      if (advising.facts(clip.path).stereo)
        advising.advise(clip.place, "stereo-in-world", clip.path, 0,
                        fmt::format("'{}' is stereo, and '{}' is in the world: it comes from one place, and its two sides as one",
                                    clip.path, sound.name));
    });
}

void about_sound(Advising& advising, const BookSound& sound) {
  about_placeholders(advising, sound);
  for (const auto& layer : sound.layers) {
    about_times(advising, sound, layer);
    about_loop(advising, layer);
    for (const auto& choice : layer.choices) about_choice(advising, sound, choice);
  }
  about_ranges(advising, sound);
  about_place(advising, sound);
  about_track(advising, sound);
  if (!sound.track) about_variation(advising, sound);
  if (!sound.track && std::any_of(sound.layers.begin(), sound.layers.end(), loops) && sound.retrigger == Retrigger::overlap &&
      sound.limit == 0)
    advising.advise(sound.place, "stacking-loop", sound.name, 0,
                    fmt::format("'{}' loops, and whenever it is asked for again one more of it plays over the others; write retrigger = "
                                "\"ignore\", or a limit",
                                sound.name));
  if (advising.book().whole && !advising.reached(sound))
    advising.advise(sound.place, "unreached-sound", sound.name, 0,
                    fmt::format("no event starts '{}', so nobody hears it; add an event, or take the sound out", sound.name));
}

}  // namespace

void advise_on_sounds(Advising& advising) {
  const Book& book = advising.book();
  for (const auto& sound : book.sounds) about_sound(advising, sound);
  const auto has = [](const BookBank& bank, const BookEvent& event) {
    return std::any_of(bank.events.begin(), bank.events.end(),
                       [&](const std::string& its) { return Pattern(its, Pattern::Slashes::pass).fits(event.name); });
  };
  for (const auto& event : book.events)
    if (book.whole && !book.banks.empty() &&
        std::none_of(book.banks.begin(), book.banks.end(), [&](const BookBank& bank) { return has(bank, event); }))
      advising.advise(event.place, "in-no-bank", event.name, 0,
                      fmt::format("no bank has the event '{}': a game that loads the banks does not know it; add it to the 'events' of one",
                                  event.name));
}

}  // namespace tidewater
