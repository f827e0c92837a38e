/// Carries out the responses of an event.

#include <algorithm>
#include <array>

#include "base/fetch.hpp"
#include "choose/traits.hpp"
#include "play/starter.hpp"

namespace tidewater {

namespace {

/// One response that is carried out.
struct Act {
  LiveBank& bank;
  const BankResponse& response;
  PlaybackId id;
  PlaybackId before;  ///< it stops what began before this
  const Happening& happening;
  StartedSounds& started;
};

// The effects of verbs. Each returns the response's outcome.

using Effect = Outcome (*)(Starter&, const Act&);

Outcome start_target(Starter& starter, const Act& act) {
  LiveSound& sound = act.bank.sounds[act.response.target];
  fetch(act.bank.data->sounds[act.response.target]);
  fetch(sound);
  return starter.start(act.bank, sound, act.response.delay + act.happening.delay, act.id, act.happening, act.started);
}

Outcome stop_target(Starter& starter, const Act& act) {
  LiveSound& sound = act.bank.sounds[act.response.target];
  const std::string_view event = act.happening.event.text();
  bool any = false;
  for (PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older)
    any = starter.voices.stop(*version, act.response.time, act.before) || any;
  if (!any)
    return starter.noting.decide(Outcome::nothing_to_stop, act.id, {.code = Reason::Code::not_playing, .sound = sound.design},
                                 act.happening.event);
  starter.noting.notebook.add(starter.noting.link.now().at, DecidedNote{.raise = act.id.raise, .event = event, .sound = sound.design});
  return Outcome::done;
}

constexpr std::array<Effect, verb_words.size()> effects = {start_target, stop_target};  // by verb
constexpr Effect effect_of(Verb verb) { return effects[static_cast<std::size_t>(verb)]; }

}  // namespace

Outcome Starter::respond_all(const Catalogue::Event& event, PlaybackId id, const Happening& happening, StartedSounds& started) {
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  Outcome decided = Outcome::unknown_event;
  for (const BankResponse& response : event.design->responses) {
    ++id.response;
    const bool waits = response.delay + happening.delay > Seconds{} && !response.starts();  // a start is decided at once
    const Outcome outcome = waits ? put_off(event, response, id, happening)
                                  : effect_of(response.verb)(*this, {*event.bank, response, id, id, happening, started});
    if (id.response == 1 || weight(outcome) > weight(decided)) decided = outcome;
  }
  return decided;
}

/// The response waits for its delay.
Outcome Starter::put_off(const Catalogue::Event& event, const BankResponse& response, PlaybackId id, const Happening& happening) {
  if (agenda.responses() == most_put_off)
    return noting.decide(Outcome::no_room, id, {.code = Reason::Code::no_more_put_off, .number = static_cast<double>(most_put_off)},
                         happening.event);
  const BankSound& sound = event.bank->data->sounds[response.target];
  const ScopeNumber scope = happening.scope.value_or(event.bank->sounds[response.target].scope);
  const Seconds delay = response.delay + happening.delay;
  agenda.add_response(scope, voices.times().from(scope, happening.base) + voices.frames_of(delay),
                      {.id = id, .event = event.hash, .target = hash_name(sound.name), .verb = response.verb, .time = response.time});
  return noting.decide(Outcome::done, id, {.code = Reason::Code::put_off, .number = delay.value, .sound = &sound}, happening.event);
}

void Starter::respond_late(Agenda::Ticket ticket) {
  const PutOff due = agenda.response(agenda[ticket]);
  agenda.remove(ticket);
  const Catalogue::Event* event = library.loaded.catalogue()->find(due.event);
  if (event == nullptr) {
    noting.decide(Outcome::bank_not_loaded, due.id, {.code = Reason::Code::put_off_too_long});
    return;
  }
  const std::optional<Whereabouts> nowhere;
  const Happening happening{
      .event = Name(event->design->name, due.event), .traits = {}, .emitter = {}, .gauges = {}, .at = nowhere, .base = noting.link.base()};
  // The bank may have been replaced meanwhile by one whose events are otherwise. All that was raised so far has begun.
  const PlaybackId before{noting.totals.raised, ~0U, ~0U};
  StartedSounds unasked;
  for (const BankResponse& response : event->design->responses)
    if (response.verb == due.verb && hash_name(event->bank->data->sounds[response.target].name) == due.target) {
      BankResponse as_asked = response;
      as_asked.time = due.time;
      effect_of(due.verb)(*this, {*event->bank, as_asked, due.id, before, happening, unasked});
      return;
    }
  noting.decide(Outcome::nothing_to_stop, due.id, {.code = Reason::Code::put_off_too_long}, happening.event);
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
      if (candidate.over_limit) return Voices::why_limited(sound, verdict);
      return {.code = candidate.all_fade ? Code::waits_for_fades : Code::waits, .number = static_cast<double>(options.voices)};
    case Fate::too_late:
      if (candidate.over_limit) return Voices::why_limited(sound, verdict);
      return {.code = candidate.all_fade ? Code::too_short_for_fades : Code::too_short, .number = static_cast<double>(options.voices)};
    case Fate::unheard: break;
  }
  if (from != nullptr && !from->level.audible()) return Listening::why_out_of_range(sound, *from);
  if (!Level(candidate.bent.gain).audible())
    return {.code = Code::silent_by_gauge, .number = candidate.gauge_at, .name = candidate.silent_by};
  if (!groups.levels().heard[sound.group].audible()) return groups.why_silent(sound.group);
  return {.code = candidate.gain == silence ? Code::drawn_silent : candidate.clip->level == silence ? Code::silent_clip : Code::faint};
}

}  // namespace tidewater
