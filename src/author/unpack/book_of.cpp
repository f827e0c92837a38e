#include "author/unpack/book_of.hpp"

#include <algorithm>
#include <optional>
#include <string_view>

namespace tidewater {
namespace {

/// The same clips for a layer of a book; says whether they stream, where all do or none does.
class Layers {
 public:
  Layers(const BankData& bank, const std::vector<std::string>& files, const FilePlace& place) : bank_(bank), files_(files), place_(place) {}

  BookLayer layer_of(const BankLayer& from) const {
    BookLayer layer;
    static_cast<LayerDesign&>(layer) = from;
    layer.name = from.name;
    layer.place = place_;
    for (const HashedText& trait : from.by) layer.by.push_back(trait.text);
    std::vector<const BankClip*> clips;
    for (const BankChoice& its : from.choices) {
      BookChoice& choice = layer.choices.emplace_back();
      for (const HashedText& value : its.values) choice.values.push_back(value.text);
      for (const BankClipUse& use : its.clips) {
        choice.clips.push_back({name_of(use.clip), its.weighted ? static_cast<double>(use.share) : 1, use.trim, place_});
        clips.push_back(&bank_.clips[use.clip]);
      }
    }
    if (from.loop) layer.loop = loop_of(clips);
    layer.stream = streams(clips);
    return layer;
  }

 private:
  std::string name_of(std::uint32_t clip) const { return files_.empty() ? bank_.clips[clip].name : files_[clip]; }

  static BookLoop loop_of(const std::vector<const BankClip*>& clips) {
    BookLoop loop;
    loop.between = BookLoop::Between::whole;
    const auto whole = [](const BankClip* clip) { return clip->loop_from == 0; };
    if (clips.empty() || std::all_of(clips.begin(), clips.end(), whole)) return loop;
    const auto region_of = [](const BankClip& clip) {
      return clip.streamed != nullptr ? Range<Frames>{{clip.streamed->loop_from}, {clip.streamed->file_frames}}
                                      : Range<Frames>{{clip.loop_from}, {clip.frames}};
    };
    const Range<Frames> first = region_of(*clips.front());
    const bool alike = std::all_of(clips.begin(), clips.end(), [&](const BankClip* clip) { return region_of(*clip) == first; });
    loop.between = alike ? BookLoop::Between::frames : BookLoop::Between::file;
    loop.frames = first;
    return loop;
  }

  std::optional<bool> streams(const std::vector<const BankClip*>& clips) const {
    constexpr Seconds unless_told{30};
    const auto streamed = [](const BankClip* clip) { return clip->streamed != nullptr; };
    const auto by_length = [&](const BankClip* clip) { return streamed(clip) == (seconds({clip->frames}, bank_.rate) > unless_told); };
    if (std::all_of(clips.begin(), clips.end(), by_length)) return std::nullopt;
    if (std::all_of(clips.begin(), clips.end(), streamed)) return true;
    if (std::none_of(clips.begin(), clips.end(), streamed)) return false;
    return std::nullopt;
  }

  const BankData& bank_;
  const std::vector<std::string>& files_;
  const FilePlace& place_;
};

}  // namespace

Book book_of(const BankData& bank, const std::string& called, const std::vector<std::string>& files) {
  const FilePlace place{called, 0, 0};
  Book book;
  book.name = bank.name;
  book.file = called;
  const Layers layers(bank, files, place);
  const auto add = [&]<class Design>(auto& to, const auto& from) -> auto& {
    auto& item = to.emplace_back();
    static_cast<Design&>(item) = from;
    item.name = from.name;
    item.place = place;
    return item;
  };
  for (const BankGroup& from : bank.groups) {
    BookGroup& group = add.operator()<GroupDesign>(book.groups, from);
    group.parent = &from == bank.groups.data() ? "" : bank.groups[from.parent].name;
    for (const DuckDesign& duck : from.ducks) group.ducks.push_back({duck, place});
  }
  for (const BankScope& from : bank.scopes) {
    BookScope& scope = add.operator()<ScopeDesign>(book.scopes, from);
    scope.parent = &from == bank.scopes.data() ? "" : bank.scopes[from.parent].name;
    scope.mood = from.mood;
  }
  for (const BankMood& from : bank.moods) add.operator()<MoodDesign>(book.moods, from);
  for (const BankGauge& from : bank.gauges) add.operator()<GaugeDesign>(book.gauges, from);
  for (const BankTrait& from : bank.traits) {
    BookTraitValues& trait = book.traits.emplace_back();
    trait.name = from.name;
    trait.place = place;
    for (const HashedText& value : from.values) trait.values.push_back(value.text);
  }
  for (const BankSound& from : bank.sounds) {
    BookSound& sound = book.sounds.emplace_back();
    static_cast<SoundDesign&>(sound) = from;
    sound.name = from.name;
    sound.group = bank.groups[from.group].name;
    if (from.scope > 0) sound.scope = bank.scopes[from.scope].name;
    sound.place = place;
    if (const BankTrack* track = from.as_track()) {
      sound.track = *track;
      for (const HashedText& its : track->list) sound.list.push_back(its.text);
    }
    bool on_use = false;
    for (const BankLayer& layer : from.layers) {
      sound.layers.push_back(layers.layer_of(layer));
      for (const BankChoice& choice : layer.choices)
        for (const BankClipUse& use : choice.clips) on_use = on_use || !bank.clips[use.clip].preload;
    }
    if (on_use) sound.preload = false;
    sound.settings = settings_of(sound);
  }
  for (const BankEvent& from : bank.events) {
    BookEvent& event = book.events.emplace_back();
    event.name = from.name;
    event.place = place;
    for (const BankResponse& its : from.responses) {
      BookResponse& response = event.responses.emplace_back();
      static_cast<ResponseDesign&>(response) = its;
      response.target = its.acts_on_sound() ? bank.sounds[its.target].name : its.name.text;
      for (const BankCondition& condition : its.when) response.when.push_back({condition.trait.text, condition.value.text, place});
      response.place = place;
    }
  }
  return book;
}

}  // namespace tidewater
