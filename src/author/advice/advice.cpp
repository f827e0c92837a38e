#include "tidewater/author/advice.hpp"

#include <algorithm>

#include "author/advice/advising.hpp"
#include "author/folder/pattern.hpp"

namespace tidewater {

Advising::Advising(const Book& book, const std::map<std::string, ClipFacts>& facts) : book_(book), facts_(facts) {
  for (const auto& event : book.events)
    for (const auto& response : event.responses)
      if (response.starts()) reached_.insert(response.target);
  for (const auto& sound : book.sounds)
    if (sound.track) {
      reached_.insert(sound.track->ending);
      reached_.insert(sound.list.begin(), sound.list.end());
      for (const ChangeDesign& change : sound.track->changes) reached_.insert(change.bridge);
    }
  for (const auto& sound : book.sounds)
    sound.each_clip([&](const BookLayer& layer, const BookClip& clip) { uses_[clip.path].push_back({&clip, &sound, &layer}); });
}

bool Advising::accepts(std::string_view kind, const std::string& about) {
  bool accepted = false;
  for (const auto& a : book_.accepted) {
    if (a.advice != kind || !(a.about.empty() || Pattern(a.about, Pattern::Slashes::pass).fits(about))) continue;
    needed_.insert(&a);
    accepted = true;
  }
  checked_.accepted += accepted ? 1 : 0;
  return accepted;
}

void Advising::advise(const FilePlace& place, std::string_view kind, const std::string& about, double weight, std::string message) {
  if (!accepts(kind, about)) checked_.advice.push_back({place, std::string(kind), about, weight, std::move(message)});
}

void Advising::about_accepted() {
  for (const auto& a : book_.accepted)
    if (book_.whole && !needed_.contains(&a))
      checked_.advice.push_back({a.place, "needless-accepted", a.advice, 0,
                                 fmt::format("nothing is left of the advice '{}'{} that is accepted here; take the entry out, or look "
                                             "whether its name still fits",
                                             a.advice, a.about.empty() ? "" : fmt::format(" about '{}'", a.about))});
}

Checked Advising::take() {
  about_accepted();
  std::stable_sort(checked_.advice.begin(), checked_.advice.end(), [](const Advice& a, const Advice& b) {
    return std::pair(a.place.line, a.place.column) < std::pair(b.place.line, b.place.column);
  });
  return std::move(checked_);
}

std::string to_text(const Advice& advice) { return to_text(Problem{advice.place, fmt::format("{}: {}", advice.kind, advice.message)}); }

Checked check_clips(const Book& book, const std::function<void(std::size_t, std::size_t)>& progress) {
  const auto facts = facts_of(book, progress);
  Advising advising(book, facts);
  advise_on_clips(advising);
  advise_on_sounds(advising);
  advise_on_events(advising);
  advise_on_files(advising);
  return advising.take();
}

std::vector<const Advice*> worst_first(const std::vector<Advice>& advice, std::string_view kind) {
  std::vector<const Advice*> found;
  for (const auto& piece : advice)
    if (piece.kind == kind) found.push_back(&piece);
  std::stable_sort(found.begin(), found.end(), [](const Advice* a, const Advice* b) { return a->weight > b->weight; });
  return found;
}

std::set<std::string> placeholders_of(const Book& book) {
  std::set<std::string> placeholders;
  for (const auto& [path, facts] : facts_of(book))
    if (facts.marked_placeholder) placeholders.insert(path);
  return placeholders;
}

const std::vector<AdviceKind>& advice_kinds() {
  static const std::vector<AdviceKind> kinds = {
      {"silent-clip", "a clip in which nothing can be heard"},
      {"clipping", "three samples or more in a row at full scale"},
      {"start-past-end", "a start-at beyond the end of its clip"},
      {"leading-silence", "more than 10 ms of silence at the head that no start-at skips: the sound is late"},
      {"loop-seam", "a loop whose last sample is far from its first"},
      {"opposed-ends", "a loop whose crossfade blends what cancels out"},
      {"part-seam", "a track whose round clicks where its end meets its beginning"},
      {"off-bars", "a clip of a track that is more than 10 ms longer than its bars"},
      {"offset", "a mean of more than 1 % of full scale, and an end that is not faded"},
      {"stacking-loop", "a loop that may play many times over itself: neither retrigger nor limit keeps it from that"},
      {"peaks", "a clip that does not reach the level asked for: its peaks keep it from that, or the 24 dB that a level moves it at most"},
      {"uneven-loudness", "clips that take turns, more than 3 LU apart (not where a level evens them out)"},
      {"uneven-length", "clips that take turns, one more than four times as long as another"},
      {"uneven-spectrum", "clips that take turns, their balance more than an octave and a half apart"},
      {"long-fade-in", "a fade-in that is longer than its clip"},
      {"no-effect", "a key that has no effect: of the world on a sound on the screen, or a pan in the world"},
      {"heard-everywhere", "a sound in the world whose far is 1 km or more: it takes a voice wherever it is"},
      {"stereo-in-world", "a stereo clip of a sound in the world: it comes from one place, and loses its width"},
      {"wide-range", "a pitch range over 7 st or a gain range over 14 dB"},
      {"no-variation",
       "a sound with one clip and no range of pitch or gain; not in a group called music, ambience, ambiance, ambient, atmosphere, speech "
       "or "
       "dialogue, nor below one, nor of a clip longer than 4 s, nor with a spacing of 5 s"},
      {"really-mono", "a stereo clip whose two sides are the same"},
      {"unreached-sound", "a sound that no event starts"},
      {"endless-events", "events that raise each other again and again, and no event calls them off"},
      {"in-no-bank", "an event that none of the book's banks has: a game that loads them does not know it"},
      {"near-name", "an unused file whose name differs from a used one only in case or ending"},
      {"unused-clip", "a file in the folder of clips that no sound uses"},
      {"placeholder", "a sketch that stands in for a real clip"},
      {"no-licence", "a clip without a licence in credits.toml or the book"},
      {"needless-credit", "a credit of clips that are not there"},
      {"needless-accepted", "an `[[accepted]]` that keeps nothing quiet any more"},
  };
  return kinds;
}

}  // namespace tidewater
