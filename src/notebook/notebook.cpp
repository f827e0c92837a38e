#include "notebook/notebook.hpp"

#include <algorithm>
#include <cstring>
#include <functional>
#include <memory>

#include "request/texts.hpp"

namespace tidewater {
namespace {

/// For what follows from the last request that found room, and from what ends by itself.
constexpr std::size_t reserve = 1024;
constexpr std::size_t text_a_record = 64;

}  // namespace

Notebook::Notebook(std::size_t records) : capacity_(records == 0 ? 0 : records + reserve) {
  notes_.reserve(capacity_);
  text_room_ = capacity_ * text_a_record;
  texts_ = std::make_unique_for_overwrite<char[]>(text_room_);
  traits_.reserve(capacity_);
  gauges_.reserve(capacity_);
  reasons_.reserve(capacity_);
  reason_traits_.reserve(capacity_);
}

bool Notebook::has_room(std::size_t text) const {
  return notes_.size() + reserve <= capacity_ && text_ + text + reserve <= text_room_ &&
         traits_.size() + reserve / 2 <= traits_.capacity() && gauges_.size() + reserve / 2 <= gauges_.capacity();
}

std::string_view Notebook::keep(std::string_view text) {
  char* const to = texts_.get() + text_;
  const std::size_t size = std::min(text.size(), text_room_ - text_);
  if (size > 0) std::memcpy(to, text.data(), size);
  text_ += size;
  return {to, size};
}

std::span<const Trait> Notebook::keep(std::span<const Trait> traits) {
  traits = traits.first(std::min(traits.size(), traits_.capacity() - traits_.size()));
  const std::size_t at = traits_.size();
  for (const Trait& trait : traits)
    traits_.push_back({Name(keep(trait.name.text()), trait.name.hash()), Name(keep(trait.value.text()), trait.value.hash())});
  return {traits_.data() + at, traits.size()};
}

std::span<const GaugeValue> Notebook::keep(std::span<const GaugeValue> gauges) {
  gauges = gauges.first(std::min(gauges.size(), gauges_.capacity() - gauges_.size()));
  const std::size_t at = gauges_.size();
  for (const GaugeValue& its : gauges) gauges_.push_back({Name(keep(its.gauge.text()), its.gauge.hash()), its.value});
  return {gauges_.data() + at, gauges.size()};
}

const Reason* Notebook::keep(const Reason& why) {
  if (why.code == Reason::Code::none || reasons_.size() == capacity_) return nullptr;
  Reason& kept = reasons_.emplace_back(why);
  kept.traits = keep_for_reason(why.traits);
  return &kept;
}

/// The traits of a raise are kept with its request already; those of a cadence's step lie on a stack. Their texts are a bank's, which
/// outlives its notes.
std::span<const Trait> Notebook::keep_for_reason(std::span<const Trait> traits) {
  const std::less<const Trait*> before;
  const bool kept_already = !before(traits.data(), traits_.data()) && before(traits.data(), traits_.data() + traits_.size());
  if (traits.empty() || kept_already) return traits;
  traits = traits.first(std::min(traits.size(), reason_traits_.capacity() - reason_traits_.size()));
  const std::size_t at = reason_traits_.size();
  reason_traits_.insert(reason_traits_.end(), traits.begin(), traits.end());
  return {reason_traits_.data() + at, traits.size()};
}

void Notebook::keep(MixFrame at, std::uint64_t update, const KeptLists& its) {
  if (!open() || (its.emitters.empty() && its.gauges.empty())) return;
  add(at, KeptNote{update, kept_.size(), its.emitters.size(), kept_gauges_.size(), its.gauges.size()});
  kept_.insert(kept_.end(), its.emitters.begin(), its.emitters.end());
  kept_gauges_.insert(kept_gauges_.end(), its.gauges.begin(), its.gauges.end());
}

void Notebook::clear() {
  kept_.clear();
  kept_gauges_.clear();
  gauges_.clear();
  notes_.clear();
  text_ = 0;
  traits_.clear();
  reasons_.clear();
  reason_traits_.clear();
}

namespace {

template <class... Turn>
struct Each : Turn... {
  using Turn::operator()...;
};
template <class... Turn>
Each(Turn...) -> Each<Turn...>;

std::string name_of(const BankSound* sound) { return sound == nullptr ? std::string() : sound->name; }
/// Empty for the only layer of a sound.
std::string name_of(const BankLayer* layer, const BankSound* sound) {
  return layer == nullptr || sound == nullptr || sound->layers.size() == 1 ? std::string() : layer->name;
}

noted::Asked asked_of(const AskedNote& note) {
  const auto texts = std::make_shared<Texts>();
  noted::Asked asked{{note.lands.value}, {note.into}, note.meanwhile, note.request, texts};
  keep_texts(*texts, asked.request);
  return asked;
}

noted::Layer layer_of(const BegunNote& begun) {
  return {.name = begun.layer->name,
          .clip = begun.clip->name,
          .group = std::string(begun.group),
          .gain = begun.gain,
          .pitch = begun.pitch,
          .pan = begun.pan,
          .low_pass = begun.low_pass,
          .away = begun.metres < 0 ? std::nullopt : std::optional(Metres{static_cast<double>(begun.metres)}),
          .clip_start = begun.clip_start,
          .starts = {begun.starts.value},
          .fade_in = begun.sound->fade_in,
          .loop = begun.layer->loop,
          .voice = begun.voice,
          .tempo = begun.sound->as_track() == nullptr ? Tempo{} : begun.sound->as_track()->tempo,
          .metre = begun.sound->as_track() == nullptr ? 0 : begun.sound->as_track()->metre,
          .first_beat = begun.sound->as_track() == nullptr ? Seconds{} : begun.sound->as_track()->first_beat};
}

}  // namespace

JournalEntry entry_of(const Note& note, const KeptLists& kept, std::span<const std::string_view> gauge_names,
                      const std::function<std::string(const Reason&)>& put) {
  const auto words = [&](const Reason* why) { return why == nullptr ? std::string() : put(*why); };
  JournalEntry entry{{note.at.value}, {}};
  auto& to = entry.what;
  std::visit(Each{[&](const AskedNote& n) { to = asked_of(n); },
                  [&](const DecidedNote& n) {
                    to = noted::Decision{n.outcome, n.raise, n.playback, std::string(n.event), name_of(n.sound), {}, words(n.why)};
                  },
                  [&](const BegunNote& n) {
                    const std::string event(n.event);
                    if (n.further)
                      to = noted::FurtherLayer{n.outcome, n.playback, event, n.sound->name, layer_of(n), words(n.why)};
                    else
                      to = noted::Decision{n.outcome, n.playback.raise, n.playback, event, n.sound->name, layer_of(n), words(n.why)};
                  },
                  [&](const DueNote& n) {
                    to = noted::Due{n.outcome, n.playback,       n.sound->name, n.layer == nullptr ? std::string() : n.layer->name,
                                    n.voice,   {n.starts.value}, words(n.why)};
                  },
                  [&](const FadingNote& n) {
                    to = noted::Fading{n.playback,   name_of(n.sound), name_of(n.layer, n.sound), n.voice, n.fade, n.how,
                                       words(n.why), {n.from.value}};
                  },
                  [&](const WokeNote& n) {
                    to = noted::Woke{n.playback, name_of(n.sound), name_of(n.layer, n.sound), n.voice, {n.starts.value}};
                  },
                  [&](const EndedNote& n) {
                    to = noted::Ended{n.playback, name_of(n.sound), n.how};
                  },
                  [&](const NoticeNote& n) {
                    to = noted::Notice{words(n.why), n.playback, name_of(n.sound), n.stream};
                  },
                  [&](const KeptNote& n) {
                    noted::Kept its{n.update, {}, {}};
                    its.emitters.reserve(n.count);
                    for (const KeptState& state : kept.emitters.subspan(n.first, n.count))
                      its.emitters.push_back({state.emitter, state.gone, place_of(state.at), velocity_of(state.at), facing_of(state.at)});
                    for (const KeptGauge& said : kept.gauges.subspan(n.first_gauge, n.gauges))
                      its.gauges.push_back({said.emitter, std::string(gauge_names[said.gauge]), said.value});
                    to = std::move(its);
                  },
                  [&](const auto& as_it_is) { to = as_it_is; }},
             note.what);
  return entry;
}

}  // namespace tidewater
