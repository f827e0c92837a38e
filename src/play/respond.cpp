/// Carries out the responses of an event.

#include <algorithm>
#include <array>

#include "base/fetch.hpp"
#include "choose/traits.hpp"
#include "play/starter.hpp"

namespace tidewater {

namespace {

// The effects of verbs. Each returns the response's outcome.

using Effect = Outcome (*)(Starter&, LiveBank&, const BankResponse&, PlaybackId, const Happening&, StartedSounds&);

Outcome start_target(Starter& starter, LiveBank& bank, const BankResponse& response, PlaybackId id, const Happening& happening,
                     StartedSounds& started) {
  LiveSound& sound = bank.sounds[response.target];
  fetch(bank.data->sounds[response.target]);
  fetch(sound);
  return starter.start(bank, sound, response.delay, id, happening, started);
}

Outcome stop_target(Starter& starter, LiveBank& bank, const BankResponse& response, PlaybackId id, const Happening& happening,
                    StartedSounds&) {
  LiveSound& sound = bank.sounds[response.target];
  bool any = false;
  for (PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older)
    any = starter.voices.stop(*version, response.time, id) || any;
  if (!any)
    return starter.noting.decide(Outcome::nothing_to_stop, id, {.code = Reason::Code::not_playing, .sound = sound.design}, happening.event);
  starter.noting.notebook.add(starter.noting.link.now().at,
                              DecidedNote{.raise = id.raise, .event = happening.event.text(), .sound = sound.design});
  return Outcome::done;
}

constexpr std::array<Effect, verb_words.size()> effects = {start_target, stop_target};  // by verb

}  // namespace

Outcome Starter::respond_all(const Catalogue::Event& event, PlaybackId id, const Happening& happening, StartedSounds& started) {
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  Outcome decided = Outcome::unknown_event;
  for (const BankResponse& response : event.design->responses) {
    ++id.response;
    const Outcome outcome = effects[static_cast<std::size_t>(response.verb)](*this, *event.bank, response, id, happening, started);
    if (id.response == 1 || weight(outcome) > weight(decided)) decided = outcome;
  }
  return decided;
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
