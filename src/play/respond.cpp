/// What an event does.

#include <algorithm>
#include <array>

#include "base/fetch.hpp"
#include "choose/traits.hpp"
#include "play/control.hpp"

namespace tidewater {

Outcome Control::respond(const BankResponse& response, LiveBank& bank, PlaybackId id, const Happening& happening, Raised& raised) {
  using Effect = Outcome (Control::*)(LiveBank&, const BankResponse&, PlaybackId, const Happening&, Raised&);
  static constexpr std::array<Effect, verb_words.size()> effects = {&Control::start, &Control::stop};  // by verb
  return (this->*effects[static_cast<std::size_t>(response.verb)])(bank, response, id, happening, raised);
}

/// All that the event's book says, in its order.
Outcome Control::respond_all(const Catalogue::Event& event, PlaybackId id, const Happening& happening, Raised& raised) {
  const auto weight = [](Outcome outcome) { return refused(outcome) ? 2 : plays(outcome) ? 1 : 0; };
  for (const BankResponse& response : event.design->responses) {
    ++id.response;
    const Outcome outcome = respond(response, *event.bank, id, happening, raised);
    if (id.response == 1 || weight(outcome) > weight(raised.outcome)) raised.outcome = outcome;
  }
  return raised.outcome;
}

Outcome Control::start(LiveBank& bank, const BankResponse& response, PlaybackId id, const Happening& happening, Raised& raised) {
  LiveSound& sound = bank.sounds[response.target];
  fetch(bank.data->sounds[response.target]);
  fetch(sound);
  return start(bank, sound, response.delay, id, happening, raised);
}

/// Once for each value, so that a step a second does not fill the journal.
void Control::note_otherwise(LiveSound& sound, const BankLayer& layer, const Happening& happening) {
  if (!notebook.open() || sound.told_count == sound.told.size()) return;
  const std::uint64_t key = otherwise_key(layer, happening.traits);
  const auto end = sound.told.begin() + static_cast<std::ptrdiff_t>(sound.told_count);
  if (std::find(sound.told.begin(), end, key) != end) return;
  sound.told[sound.told_count++] = key;
  tell({.code = Reason::Code::otherwise,
        .name = happening.event.text(),
        .sound = sound.design,
        .layer = &layer,
        .traits = happening.traits});
}

/// Why a layer is not heard; nothing where it is.
Reason Control::why(const LiveSound& sound, const Candidate& candidate, const HeardFrom* from, const Verdict& verdict) const {
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
  if (from != nullptr && !from->level.audible()) return why_out_of_range(sound, *from);
  if (!Level(candidate.bent.gain).audible())
    return {.code = Code::silent_by_gauge, .number = candidate.gauge_at, .name = candidate.silent_by};
  if (!groups.levels().heard[sound.group].audible()) return groups.why_silent(sound.group);
  return {.code = candidate.gain == silence ? Code::drawn_silent : candidate.clip->level == silence ? Code::silent_clip : Code::faint};
}

Outcome Control::stop(LiveBank& bank, const BankResponse& response, PlaybackId id, const Happening& happening, Raised&) {
  LiveSound& sound = bank.sounds[response.target];
  bool any = false;
  for (PlayedSound* version = &newest_version(sound); version != nullptr; version = version->older)
    any = voices.stop(*version, response.time, id) || any;
  if (!any) return decide(Outcome::nothing_to_stop, id, {.code = Reason::Code::not_playing, .sound = sound.design}, happening.event);
  notebook.add(link.now().at, DecidedNote{.raise = id.raise, .event = happening.event.text(), .sound = sound.design});
  return Outcome::done;
}

Outcome Control::decide(Outcome outcome, PlaybackId id, const Reason& why, Name event) {
  if (refused(outcome)) ++totals.refused;
  notebook.add(link.now().at,
               DecidedNote{.outcome = outcome, .playback = id, .raise = id.raise, .event = event.text(), .why = notebook.keep(why)});
  return outcome;
}

}  // namespace tidewater
