/// Decides which responses of an event are carried out, and when. effects.cpp has their effects.

#include <algorithm>

#include "base/fetch.hpp"
#include "choose/draws.hpp"
#include "choose/traits.hpp"
#include "play/effects.hpp"
#include "play/starter.hpp"

namespace tidewater {
namespace {

/// Returns whether a raise has the traits of a response's `when`. One of several values of the same trait is enough.
bool meets(const BankResponse& response, std::span<const Trait> traits) {
  for (std::size_t at = 0; at < response.when.size();) {
    const std::uint64_t trait = response.when[at].trait.hash;
    bool any = false;
    for (; at < response.when.size() && response.when[at].trait.hash == trait; ++at)
      any = any || std::any_of(traits.begin(), traits.end(), [&](const Trait& its) {
              return its.name.hash() == trait && its.value.hash() == response.when[at].value.hash;
            });
    if (!any) return false;
  }
  return true;
}

/// The numbers that are drawn for one response.
enum class DrawOfResponse : std::uint64_t { chance, delay };

/// Delayed raises are carried out this long before their frame, so that their starts are heard exactly on it. It is enough for a game with
/// twenty updates a second. It is short, because a stop in between also stops those starts.
constexpr Seconds raise_ahead{0.05};

double draw(std::uint64_t seed, const Happening& happening, PlaybackId id, DrawOfResponse what) {
  const Draws draws(Draws::hash_of(seed, happening.event.hash()), id.raise);
  return draws.unit(2 * std::uint64_t{id.response} + static_cast<std::uint64_t>(what));
}

}  // namespace

Outcome Starter::respond_all(const Catalogue::Event& event, PlaybackId id, const Happening& happening, StartedSounds& started) {
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  Outcome decided = Outcome::unknown_event;
  for (const BankResponse& response : event.design->responses) {
    ++id.response;
    // Most responses start a sound at once, and always.
    const Outcome outcome =
        response.is_plain_start() ? start_plain(event, response, id, happening, started) : respond(event, response, id, happening, started);
    const bool lighter = id.response > 1 && weight(outcome) <= weight(decided);
    if (!lighter) decided = outcome;
  }
  return decided;
}

Outcome Starter::respond(const Catalogue::Event& event, const BankResponse& response, PlaybackId id, const Happening& happening,
                         StartedSounds& started) {
  if (!response.when.empty() && !meets(response, happening.traits))
    return noting.decide(Outcome::left_out, id, {.code = Reason::Code::other_traits, .name = word_of(response.verb)}, happening.event);
  if (response.left_out > 0 && draw(options.seed, happening, id, DrawOfResponse::chance) < response.left_out)
    return noting.decide(Outcome::left_out, id,
                         {.code = Reason::Code::response_left_out, .number = 1 - response.left_out, .name = word_of(response.verb)},
                         happening.event);
  Seconds delay = response.delay.low;
  if (response.delay.high > delay)
    delay.value += (response.delay.high - delay).value * draw(options.seed, happening, id, DrawOfResponse::delay);
  delay = delay + happening.delay;
  // A delayed start is decided at once. Other responses wait, also for the frame of a raise that is carried out early.
  const bool waits = voices.frames_of(delay) > 0 || (happening.ahead && response.verb != Verb::raise);
  if (response.verb != Verb::start && waits) return put_off(event, response, delay, id, happening);
  return effect_of(response.verb)(*this, {*event.bank, response, response, delay, id, id, happening, started});
}

/// The response waits for its delay.
Outcome Starter::put_off(const Catalogue::Event& event, const BankResponse& response, Seconds delay, PlaybackId id,
                         const Happening& happening) {
  if (agenda.responses() == most_put_off)
    return noting.decide(Outcome::no_room, id, {.code = Reason::Code::no_more_put_off, .number = static_cast<double>(most_put_off)},
                         happening.event);
  const BankSound* sound = response.acts_on_sound() ? &event.bank->data->sounds[response.target] : nullptr;
  const ScopeNumber scope = happening.scope.value_or(sound == nullptr ? ScopeNumber{0} : event.bank->sounds[response.target].scope);
  PutOff later{.id = id,
               .event = event.hash,
               .target = sound == nullptr ? response.name.hash : hash_name(sound->name),
               .response = response,
               .emitter = happening.emitter.number,
               .action = happening.action,
               .at = happening.at,
               .scope = happening.scope,
               .gain = happening.gain};
  for (const Trait& trait : happening.traits)
    if (later.trait_count < later.traits.size()) later.traits[later.trait_count++] = {trait.name.hash(), trait.value.hash()};
  later.frame = voices.times().from(scope, happening.base) + voices.frames_of(delay);
  agenda.add_response(scope, response.verb == Verb::raise ? later.frame - voices.frames_of(raise_ahead) : later.frame, later);
  return noting.decide(Outcome::done, id,
                       {.code = Reason::Code::put_off,
                        .number = delay.value,
                        .name = sound == nullptr ? std::string_view(response.name.text) : std::string_view(sound->name),
                        .more = word_of(response.verb)},
                       happening.event);
}

void Starter::respond_late(Agenda::Ticket ticket, bool listens) {
  const PutOff due = agenda.response(agenda[ticket]);
  const MixFrame base = due.response.verb == Verb::raise
                            ? std::max(noting.link.base(), voices.times().mixed(agenda[ticket].scope, due.frame))
                            : noting.link.base();
  agenda.remove(ticket);
  const Catalogue::Event* event = library.loaded.catalogue()->find(due.event);
  if (event == nullptr) {
    noting.decide(Outcome::bank_not_loaded, due.id, {.code = Reason::Code::put_off_too_long});
    return;
  }
  // Uses the kept place of the emitter. While an update listens, another thread changes kept places.
  const Emitter emitter{due.emitter};
  std::optional<Whereabouts> at = due.at;
  if (at && listening.has_room_for(emitter) && !listens) at = listening.earshot.kept_place(emitter);
  Few<Trait, PutOff::most_traits> traits;
  for (std::size_t i = 0; i < due.trait_count; ++i) traits.emplace_back(text_of(due.traits[i], *event));
  const Happening happening{.event = Name(event->design->name, due.event),
                            .traits = std::span<const Trait>(traits.begin(), traits.size()),
                            .emitter = emitter,
                            .gauges = {},
                            .at = at,
                            .base = base,
                            .scope = due.scope,
                            .gain = due.gain,
                            .action = due.action,
                            .root = noting.totals.raised,
                            .ahead = base > noting.link.base()};
  // The bank may have been replaced meanwhile by one whose events are otherwise. All that was raised so far has begun.
  const PlaybackId before{noting.totals.raised, ~0U, ~0U};
  StartedSounds unasked;
  for (const BankResponse& response : event->design->responses) {
    const std::uint64_t target = response.acts_on_sound() ? hash_name(event->bank->data->sounds[response.target].name) : response.name.hash;
    if (response.verb != due.response.verb || target != due.target) continue;
    effect_of(response.verb)(*this, {*event->bank, response, due.response, {}, due.id, before, happening, unasked});
    return;
  }
  noting.decide(Outcome::nothing_to_stop, due.id, {.code = Reason::Code::put_off_too_long}, happening.event);
}

/// Returns a trait with its texts, if the event's bank has them.
Trait Starter::text_of(const KeptTrait& trait, const Catalogue::Event& event) const {
  Trait its{Name("", trait.name), Name("", trait.value)};
  for (const BankResponse& response : event.design->responses) {
    if (response.starts()) its = trait_of(event.bank->data->sounds[response.target], trait.name, trait.value);
    if (!its.value.text().empty()) break;
  }
  return its;
}

/// Once for each value, so that a step a second does not fill the journal.
void Starter::note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening) {
  if (!noting.notebook.open() || sound.told_count == sound.told.size()) return;
  const std::uint64_t key = otherwise_key(layer, happening.traits);
  const auto end = sound.told.begin() + static_cast<std::ptrdiff_t>(sound.told_count);
  if (std::find(sound.told.begin(), end, key) != end) return;
  sound.told[sound.told_count++] = key;
  noting.tell({.code = Reason::Code::otherwise,
               .name = happening.event.text(),
               .sound = sound.design,
               .layer = &layer,
               .traits = happening.traits});
}

/// Why a layer is not heard; nothing where it is.
Reason Starter::why(const LiveSound& sound, const Candidate& candidate, const HeardFrom* from, const Verdict& verdict) const {
  using Fate = Candidate::Fate;
  using Code = Reason::Code;
  switch (candidate.fate) {
    case Fate::voice:
    case Fate::later: return {};
    case Fate::reading: return candidate.unread ? Reason{.code = Code::clip_read_now, .name = candidate.clip->name} : Reason{};
    case Fate::waits:
      if (candidate.over_limit) return Voices::why_limited(verdict);
      return {.code = candidate.all_fade ? Code::waits_for_fades : Code::waits, .number = static_cast<double>(options.voices)};
    case Fate::too_late:
      if (candidate.over_limit) return Voices::why_limited(verdict);
      return {.code = candidate.all_fade ? Code::too_short_for_fades : Code::too_short, .number = static_cast<double>(options.voices)};
    case Fate::unheard: break;
  }
  if (from != nullptr && !from->level.audible()) return Listening::why_out_of_range(sound, *from);
  if (!Level(candidate.bent.gain).audible())
    return {.code = Code::silent_by_gauge, .number = candidate.gauge_at, .name = candidate.silent_by};
  if (!groups.levels().heard[sound.group].audible()) return groups.why_silent(sound.group, options.rate);
  return {.code = candidate.gain == silence ? Code::drawn_silent : candidate.clip->level == silence ? Code::silent_clip : Code::faint};
}

}  // namespace tidewater
