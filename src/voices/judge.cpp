/// Verdicts: whether a start may be, and who makes room.

#include <algorithm>
#include <array>
#include <cstdlib>
#include <optional>
#include <utility>

#include "voices/voices.hpp"

namespace tidewater {
/// Told to go, in every layer that is left.
bool Voices::leaving(const LiveStart& start) const {
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over() && layer->stage != Stage::leaving && !gone(*layer)) return false;
  return true;
}

/// The emitter that gates look at; none if they look at all that plays.
std::optional<std::uint64_t> Voices::whose(const Verdict& verdict) {
  return verdict.sound->design->limit_each_emitter ? std::optional(verdict.emitter) : std::nullopt;
}

/// Whether a start counts for the gates. Cadences and other starts are counted apart. A start of a scope on hold counts only for starts of
/// that scope.
bool Voices::matters(const Verdict& verdict, const LiveStart& start) const {
  return (start.part == Part::cadence) == verdict.cadences && (start.scope == verdict.scope || !times().held(start.scope)) &&
         !leaving(start);
}

bool Voices::plays_already(const Verdict& verdict) const {
  return any_start(*verdict.sound, whose(verdict), [&](const LiveStart& start) { return matters(verdict, start); });
}

/// Whether a start leaves when its sound restarts.
bool Voices::restarts(const Verdict& verdict, const LiveStart& start) const {
  return &newest_version(*start.sound) == &newest_version(*verdict.sound) &&
         (!verdict.sound->design->limit_each_emitter || start.emitter == verdict.emitter) && matters(verdict, start);
}

/// Null if none is left.
LiveStart* Voices::oldest_that_restarts(const Verdict& verdict) const {
  LiveStart* oldest = nullptr;
  each_that_plays(verdict, [&](LiveStart& start) {
    if (oldest == nullptr || start.id < oldest->id) oldest = &start;
  });
  return oldest;
}

const LiveStart* Voices::what_plays(const Verdict& verdict) const {
  const LiveStart* latest = nullptr;
  each_that_plays(verdict, [&](const LiveStart& start) {
    if (latest == nullptr || latest->id < start.id) latest = &start;
  });
  return latest;
}

/// Returns the frames from a start of the sound to the asker's start, negative if that start is later. Returns nothing if no start is
/// nearer than the sound's spacing.
std::optional<std::int64_t> Voices::heard_near(const PlayedSound& sound, const HeardBefore& before, const Asker& asker) const {
  const bool each = sound.design->limit_each_emitter;
  const std::int64_t spacing = frames_of(sound.design->spacing);
  if (spacing <= 0 || before.latest(asker.scope) <= asker.heard - spacing) return std::nullopt;
  std::optional<std::int64_t> after = before.near(asker.emitter, asker.scope, asker.heard, spacing);
  if (after) return after;
  any_start(sound, each ? std::optional(asker.emitter) : std::nullopt, [&](const LiveStart& start) {
    if (start.part == Part::cadence || start.scope != asker.scope || std::abs(asker.heard - start.heard) >= spacing) return false;
    after = asker.heard - start.heard;
    return true;
  });
  return after;
}

Gated Voices::gate(const PlayedSound& sound, const HeardBefore& before, const Asker& asker, const HeardFrom* from, Part part) const {
  const BankSound& design = *sound.design;
  const Retrigger retrigger = part == Part::beat ? Retrigger::overlap : design.retrigger;
  Gated gated;
  gated.verdict.sound = &sound;
  gated.verdict.emitter = asker.emitter;
  gated.verdict.scope = asker.scope;
  gated.verdict.cadences = part == Part::cadence;
  const bool limited = design.limit > 0 || limits_.own(sound.group) != GroupLimits::none;
  if (retrigger == Retrigger::overlap && design.spacing <= Seconds{0} && !limited) return gated;
  const bool plays = retrigger != Retrigger::overlap && plays_already(gated.verdict);
  if (plays && retrigger == Retrigger::ignore) {
    gated.outcome = Outcome::already_playing;
    return gated;
  }
  if (const auto after = part == Part::cadence ? std::nullopt : heard_near(sound, before, asker)) {
    gated.outcome = Outcome::too_soon;
    gated.after = seconds({*after}, options_.rate);
    return gated;
  }
  if (retrigger == Retrigger::restart) gated.verdict.restarts = plays;
  if (limited && part != Part::cadence && (from == nullptr || from->level.audible())) obey_limits(gated, from);
  return gated;
}

Reason Voices::why_held(const Gated& gated) {
  if (gated.outcome == Outcome::limit_reached) return why_limited(gated.verdict);
  const BankSound& design = *gated.verdict.sound->design;
  return {.code = gated.outcome == Outcome::already_playing ? Reason::Code::plays_already : Reason::Code::too_soon,
          .each = design.limit_each_emitter,
          .number = gated.after.value,
          .sound = &design};
}

/// Whether a verdict takes a layer's voice.
bool Voices::loses_voice(const Verdict& verdict, const LiveLayer& layer) const {
  const auto last = verdict.yielding.begin() + static_cast<std::ptrdiff_t>(verdict.yielding_count);
  return leaves_by(verdict, *layer.start) || std::find(verdict.yielding.begin(), last, &layer) != last;
}

void Voices::share(PlaybackId id, std::span<Candidate> wanted, Verdict& verdict) const {
  std::size_t leaving = 0;
  if (verdict.makes_room())
    for (const LiveLayer* layer : pool_.owners())
      if (layer != nullptr && layer->stage == Stage::sounding && loses_voice(verdict, *layer)) ++leaving;
  VoicesLeft left{.free = options_.voices - std::min<std::size_t>(options_.voices, count_.sounding - leaving), .silent = pool_.free()};
  Level strongest;
  const auto give = [&](Candidate& candidate) {
    candidate.claim = Claim(verdict.sound->design->rank, std::max(candidate.level, strongest), id.raise);
    candidate.fate = fate_of(candidate, left, verdict);
  };
  if (wanted.size() == 1) return give(wanted.front());
  // The stems of a track claim as their strongest does.
  if (verdict.sound->design->as_track() != nullptr)
    for (const Candidate& candidate : wanted) strongest = std::max(strongest, candidate.level);
  std::array<Candidate*, most_layers> in_order;
  for (std::size_t i = 0; i < wanted.size(); ++i) in_order[i] = &wanted[i];
  const std::span<Candidate*> loudest_first(in_order.data(), wanted.size());
  std::sort(loudest_first.begin(), loudest_first.end(),
            [](const Candidate* a, const Candidate* b) { return std::pair(b->level, a) < std::pair(a->level, b); });
  for (Candidate* candidate : loudest_first) give(*candidate);
}

/// Decides the fate of a layer while `left` voices are left. If it gets a voice, `left` has one less, or `verdict` has one that yields.
Candidate::Fate Voices::fate_of(Candidate& candidate, VoicesLeft& left, Verdict& verdict) const {
  using Fate = Candidate::Fate;
  if (!candidate.level.audible()) return Fate::unheard;
  if (!verdict.at_once && is_to_wait(verdict.scope, candidate.starts)) return Fate::later;
  const auto without_voice = [&] { return worth_waiting(candidate) ? Fate::waits : Fate::too_late; };
  if (verdict.full) {
    candidate.over_limit = true;
    return without_voice();
  }
  std::uint32_t weakest = VoicePool::none;
  if (left.free == 0)
    weakest =
        verdict.makes_room() ? pool_.weakest_but([&](const LiveLayer& layer) { return loses_voice(verdict, layer); }) : pool_.weakest();
  const bool may = left.free > 0 || (weakest != VoicePool::none && pool_.claim_on(weakest) <= candidate.claim);
  if (!may || left.silent == 0) {
    candidate.all_fade = may;
    return without_voice();
  }
  --left.silent;
  if (left.free > 0)
    --left.free;
  else
    verdict.yielding[verdict.yielding_count++] = pool_.owners()[weakest];
  return Fate::voice;
}

void Voices::make_room(const Verdict& verdict) {
  const PlayedSound& sound = *verdict.sound;
  for (const Outdone& its : verdict.leaving())
    leave_for_limit(*its.start, (its.of_group == nullptr ? sound : *its.start->sound).design->fade_out,
                    why_limited(sound, its.playing, its.of_group));
  if (verdict.restarts)
    while (LiveStart* oldest = oldest_that_restarts(verdict))
      each_layer(*oldest, [&](LiveLayer& layer) {
        if (layer.stage != Stage::leaving) leave(layer, sound.design->fade_out, Ending::restarted, {.code = Reason::Code::asked_again});
      });
  for (std::size_t i = 0; i < verdict.yielding_count; ++i) give_way(*verdict.yielding[i], sound);
}

void Voices::give_way(LiveLayer& layer, const PlayedSound& to) {
  using Code = Reason::Code;
  put_to_sleep(layer, {.code = !level_of(layer).audible()                           ? Code::gave_way_to_heard
                               : to.design->rank > layer.start->sound->design->rank ? Code::outranked_by
                                                                                    : Code::not_louder_than,
                       .name = to.design->name});
}

}  // namespace tidewater
