#include "notebook/notebook.hpp"

#include <algorithm>

namespace tidewater {
namespace {

/// For what follows from the last request that found room, and from what ends by itself.
constexpr std::size_t reserve = 1024;
constexpr std::size_t text_a_record = 64;

}  // namespace

Notebook::Notebook(std::size_t records) : capacity_(records == 0 ? 0 : records + reserve) {
  notes_.reserve(capacity_);
  texts_.reserve(capacity_ * text_a_record);
  traits_.reserve(capacity_);
}

bool Notebook::has_room(std::size_t text) const {
  return notes_.size() + reserve <= capacity_ && texts_.size() + text + reserve <= texts_.capacity() &&
         traits_.size() + reserve / 2 <= traits_.capacity();
}

Note* Notebook::add() { return notes_.size() < capacity_ ? &notes_.emplace_back() : nullptr; }

std::string_view Notebook::keep(std::string_view text) {
  text = text.substr(0, texts_.capacity() - texts_.size());
  const std::size_t at = texts_.size();
  texts_.insert(texts_.end(), text.begin(), text.end());
  return {texts_.data() + at, text.size()};
}

std::span<const Trait> Notebook::keep(std::span<const Trait> traits) {
  traits = traits.first(std::min(traits.size(), traits_.capacity() - traits_.size()));
  const std::size_t at = traits_.size();
  for (const Trait& trait : traits)
    traits_.push_back({Name(keep(trait.name.text()), trait.name.hash()), Name(keep(trait.value.text()), trait.value.hash())});
  return {traits_.data() + at, traits.size()};
}

void Notebook::clear() {
  notes_.clear();
  texts_.clear();
  traits_.clear();
}

namespace {

template <class... Fill>
struct Each : Fill... {
  using Fill::operator()...;
};
template <class... Fill>
Each(Fill...) -> Each<Fill...>;

void fill_asked(const AskedNote& asked, JournalEntry& e) {
  using Kind = JournalEntry::Kind;
  e.playback = asked.playback;
  e.raise = asked.raise;
  e.fade = asked.fade;
  e.on = asked.on;
  e.emitter = asked.emitter;
  e.into = {asked.into};
  e.why = asked.why;
  for (const Trait& trait : asked.traits) e.traits.emplace_back(trait.name.text(), trait.value.text());
  std::string& name = e.kind == Kind::raise ? e.event : e.kind == Kind::load || e.kind == Kind::unload ? e.bank : e.group;
  name = asked.name;
  if (e.kind == Kind::gain) e.gain = {asked.value};
  if (e.kind == Kind::bend) e.pitch = {asked.value};
  if (e.kind == Kind::pan) e.pan = {asked.value};
  if (e.kind == Kind::low_pass || e.kind == Kind::high_pass) e.frequency = {asked.value};
}

}  // namespace

JournalEntry entry_of(const Note& note, const std::function<std::string(const Reason&)>& words) {
  JournalEntry e;
  e.kind = note.kind;
  e.at = {note.at};
  e.lands = e.starts = {note.lands};
  const auto name_sound = [&](const BankSound* sound) {
    if (sound != nullptr) e.sound = sound->name;
  };
  std::visit(Each{[&](const AskedNote& asked) { fill_asked(asked, e); },
                  [&](const DecidedNote& decided) {
                    e.outcome = decided.outcome;
                    e.playback = decided.playback;
                    e.raise = decided.raise;
                    e.event = decided.event;
                    name_sound(decided.sound);
                    e.fade = decided.fade;
                    e.why = words(decided.why);
                  },
                  [&](const BegunNote& begun) {
                    e.outcome = begun.outcome;
                    e.playback = begun.playback;
                    e.raise = begun.playback.raise;
                    e.event = begun.event;
                    e.group = begun.group;
                    e.sound = begun.sound->name;
                    e.layer = begun.layer->name;
                    e.clip = begun.clip->name;
                    e.gain = begun.gain;
                    e.pitch = begun.pitch;
                    e.pan = begun.pan;
                    e.frequency = begun.low_pass;
                    e.clip_start = begun.clip_start;
                    e.starts = {begun.starts};
                    e.fade_in = begun.sound->fade_in;
                    e.loop = begun.layer->loop;
                    e.voice = begun.voice;
                    e.why = words(begun.why);
                  },
                  [&](const ChangedNote& changed) {
                    e.playback = changed.playback;
                    name_sound(changed.sound);
                    if (changed.how != nullptr) e.how = changed.how;
                    e.voice = changed.voice;
                    e.starts = {changed.starts};
                    e.fade = changed.fade;
                    e.why = words(changed.why);
                  },
                  [&](const UpdateRun& updates) {
                    e.every = updates.every;
                    e.times = updates.times;
                    e.after = updates.after;
                  },
                  [&](const CameLate& late) {
                    e.raise = late.request;
                    e.starts = {late.landed};
                  },
                  [&](const HeadNote& head) {
                    e.rate = head.rate;
                    e.seed = head.seed;
                    e.voices = head.voices;
                    e.quality = head.quality;
                    e.layout = head.layout;
                    e.on = head.limiter;
                  }},
             note.what);
  return e;
}

}  // namespace tidewater
