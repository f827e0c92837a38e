#include "tidewater/author/score.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "author/clips/book_clips.hpp"
#include "base/beats.hpp"
#include "base/nearest.hpp"
#include "music/change_rules.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr std::size_t columns = 1100;

const BookSound* track_called(const Book& book, std::string_view name) {
  const auto found =
      std::find_if(book.sounds.begin(), book.sounds.end(), [&](const BookSound& its) { return its.track && its.name == name; });
  return found == book.sounds.end() ? nullptr : &*found;
}

ScoreStem stem_of(const Book& book, const BookLayer& layer, Seconds& length) {
  ScoreStem stem;
  stem.name = layer.name;
  stem.clip = layer.choices.front().clips.front().path;
  for (const FollowDesign& its : layer.follow) stem.follows.push_back(its.gauge);
  const Audio audio = clip_audio(book, stem.clip);
  const auto width = static_cast<std::size_t>(audio.channels);
  const std::size_t frames = audio.samples.size() / width;
  length = std::max(length, seconds({static_cast<std::int64_t>(frames)}, audio.rate));
  stem.lowest.assign(columns, 0);
  stem.highest.assign(columns, 0);
  for (std::size_t i = 0; i < frames; ++i) {
    const std::size_t column = i * columns / std::max<std::size_t>(1, frames);
    for (std::size_t channel = 0; channel < width; ++channel) {
      const float sample = audio.samples[i * width + channel];
      stem.lowest[column] = std::min(stem.lowest[column], sample);
      stem.highest[column] = std::max(stem.highest[column], sample);
    }
  }
  return stem;
}

Seconds place_of(const TrackDesign& track, std::int64_t bar) {
  constexpr Hertz fine{1'000'000};
  return {track.first_beat.value + static_cast<double>(frame_of_beat(bar * track.metre, track.tempo, fine)) / fine.value};
}

/// The places in the clip on which a change can fall.
std::vector<Seconds> boundaries(const Score& score, On on) {
  std::vector<Seconds> at;
  if (on == On::now || score.bars.empty()) return at;
  for (const ScorePart& part : score.parts) {
    if (part.ending) continue;
    if (on == On::part) at.push_back(part.to);
    if (on == On::end && (part.loop || &part == &score.parts.back())) at.push_back(part.to);
    for (std::int64_t bar = 0; bar < part.bars; ++bar) {
      const std::size_t its = static_cast<std::size_t>(part.first_bar - 1 + bar);
      if (on == On::bar) at.push_back(score.bars[its]);
      if (on == On::beat)
        for (std::uint32_t beat = 0; beat < score.metre; ++beat)
          at.push_back({score.bars[its].value + (score.bars[its + 1] - score.bars[its]).value * beat / score.metre});
    }
  }
  return at;
}

std::string words_of(const ScoreChange& change) {
  std::string text = change.on == On::now ? "at once" : fmt::format("on the next {}", word_of(change.on));
  if (change.by == By::cut) text += ", by a cut";
  if (change.by == By::cross) text += fmt::format(", crossing over {:.3g} s", change.over.value);
  if (change.by == By::bridge) text += fmt::format(", by way of '{}'", change.bridge);
  return text;
}

}  // namespace

Score score_of(const Book& book, const std::string& name) {
  const BookSound* sound = track_called(book, name);
  if (sound == nullptr || !sound->list.empty()) {
    std::vector<std::string_view> known;
    for (const BookSound& its : book.sounds)
      if (its.track && its.list.empty()) known.push_back(its.name);
    throw Error(sound != nullptr
                    ? fmt::format("{}: '{}' is a list; look at one of its tracks: {}", book.file, name, fmt::join(sound->list, ", "))
                    : fmt::format("{}: there is no track '{}'{}", book.file, name, did_you_mean(name, known)));
  }
  const TrackDesign& track = *sound->track;
  Score score;
  score.track = name;
  score.stand = track.stand_name();
  score.group = sound->group;
  score.tempo = track.tempo;
  score.metre = track.metre;
  score.unit = track.unit;
  score.first_beat = track.first_beat;
  for (const BookLayer& layer : sound->layers) score.stems.push_back(stem_of(book, layer, score.length));
  std::int64_t bar = 0;
  const auto add = [&](const std::vector<PartDesign>& parts, bool ending) {
    for (const PartDesign& part : parts) {
      score.parts.push_back({part.name, bar + 1, part.bars, part.loop, ending, place_of(track, bar), place_of(track, bar + part.bars)});
      bar += part.bars;
    }
  };
  if (track.tempo.value > 0) {
    add(track.parts, false);
    if (const BookSound* ending = track_called(book, track.ending); ending != nullptr && ending->ending_of == name)
      add(ending->track->parts, true);
    for (std::int64_t i = 0; i <= bar; ++i) score.bars.push_back(place_of(track, i));
    if (!score.bars.empty()) score.length = std::max(score.length, score.bars.back());
  }
  const auto change = [&](const BookSound& from, const BookSound& to) {
    const ChangeRules rules = rules_between(&*from.track, from.name, &*to.track);
    score.changes.push_back(
        {from.name, to.name, rules.on, rules.by, rules.over, std::string(rules.by == By::bridge ? rules.bridge : ""), {}, {}});
    score.changes.back().how = words_of(score.changes.back());
  };
  const auto is_other = [&](const BookSound& its) {
    return its.track && its.list.empty() && its.ending_of.empty() && its.name != name && its.track->stand_name() == track.stand_name();
  };
  for (const BookSound& other : book.sounds)
    if (is_other(other)) {
      change(*sound, other);
      score.changes.back().at = boundaries(score, score.changes.back().on);
    }
  for (const BookSound& other : book.sounds)
    if (is_other(other)) change(other, *sound);
  return score;
}

}  // namespace tidewater
