/// The limits of sounds and groups. They decide which start yields to a new one, and which sleepers may wake.

#include <algorithm>
#include <vector>

#include "voices/voices.hpp"

namespace tidewater {

Reason Voices::why_limited(const Verdict& verdict) {
  Reason why = why_limited(*verdict.sound, verdict.playing, verdict.of_group);
  why.other = static_cast<double>(verdict.farther_at);
  return why;
}

Reason Voices::why_limited(const PlayedSound& sound, std::size_t playing, const GroupLimits::Group* of_group) {
  const auto number = static_cast<double>(playing);
  if (of_group != nullptr) return {.code = Reason::Code::group_limited, .number = number, .name = of_group->name};
  return {.code = Reason::Code::limited, .each = sound.design->limit_each_emitter, .number = number, .sound = sound.design};
}

/// Counts the starts that a limit looks at, and finds the one that leaves for one more.
struct Voices::Counted {
  WhenFull when_full = WhenFull::oldest;
  std::size_t count = 0;
  LiveStart* first = nullptr;
  Level level;       ///< of the first, if the quietest leaves
  float metres = 0;  ///< its distance, if the farthest leaves

  void add(LiveStart& start, const Voices& voices) {
    ++count;
    const Level its = when_full == WhenFull::quietest ? voices.heard_level_of(start) : Level();
    const float away = when_full == WhenFull::farthest ? voices.metres_to(start) : 0;
    if (first != nullptr) {
      const bool sooner = its != level ? its < level : away != metres ? away > metres : start.id < first->id;
      if (!sooner) return;
    }
    first = &start;
    level = its;
    metres = away;
  }
};

/// The distance of a start; 0 on the screen.
float Voices::metres_to(const LiveStart& start) const {
  if (start.in_world)
    for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
      if (!layer->over()) return from_of(*layer).metres;
  return 0;
}

/// The start's loudest layer.
Level Voices::heard_level_of(const LiveStart& start) const {
  Level loudest;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over()) loudest = std::max(loudest, level_of(*layer));
  return loudest;
}

/// The limit of the sound, and then those of its group and of the groups above. `from` is null for a start on the screen.
void Voices::obey_limits(Gated& gated, const HeardFrom* from) const {
  const PlayedSound& sound = *gated.verdict.sound;
  if (sound.design->limit > 0 && !gated.verdict.restarts) obey_limit(gated, from);
  if (limits_.any)
    limits_.each_over(sound.group, [&](std::uint32_t limited) {
      if (!gated.held() && !gated.verdict.full && gated.verdict.outdone_count < most_limits) obey_group(gated, limited, from);
    });
}

/// In the world only what has a voice counts: what sleeps out there holds nobody back.
void Voices::obey_limit(Gated& gated, const HeardFrom* from) const {
  const PlayedSound& sound = *gated.verdict.sound;
  Counted counted;
  counted.when_full = sound.design->when_full;
  const auto add = [&](LiveStart& start) { counted.add(start, *this); };
  if (from != nullptr)
    each_heard(sound, gated.verdict.emitter, add);
  else
    each_that_plays(gated.verdict, add);
  settle(gated, counted, sound.design->limit, from);
}

void Voices::obey_group(Gated& gated, std::uint32_t limited, const HeardFrom* from) const {
  const GroupLimits::Group& group = limits_.groups[limited];
  gated.verdict.of_group = &group;
  Counted counted;
  counted.when_full = group.when_full;
  each_in_group(limited, gated.verdict.scope, [&](LiveStart& start) {
    if (!leaves_by(gated.verdict, start)) counted.add(start, *this);
  });
  settle(gated, counted, group.limit, from);
}

/// Calls `act(start)` for the starts that count against the limit of a group: of sounds on the screen all that play or wait for their
/// delay, of sounds in the world those that have a voice. A cadence does not count; its steps do.
template <class Act>
void Voices::each_in_group(std::uint32_t limited, ScopeNumber scope, Act act) const {
  const auto count = [&](LiveStart& start) {
    if (start.part != Part::cadence && (start.scope == scope || !times().held(start.scope)) && !leaving(start)) act(start);
  };
  for (std::uint32_t group = 0; group < limits_.groups.size(); ++group)
    if (limits_.holds_for(limited, group)) starts_.each_on_screen(group, count);
  for (const LiveLayer* layer : pool_.owners())
    if (layer != nullptr && counts_for_start(*layer) && Starts::is_in_world(*layer->start->sound) &&
        limits_.holds_for(limited, layer->start->sound->group))
      count(*layer->start);
}

/// Finds out who yields if a limit is reached: the start that was counted first, or the new start itself.
void Voices::settle(Gated& gated, const Counted& counted, std::uint32_t limit, const HeardFrom* from) const {
  if (counted.count < limit) return;
  Verdict& verdict = gated.verdict;
  verdict.playing = counted.count;
  const bool is_farthest = counted.when_full == WhenFull::farthest && from != nullptr && from->metres > counted.metres;
  if (counted.when_full != WhenFull::newest && !is_farthest) {
    verdict.outdone[verdict.outdone_count++] = {counted.first, counted.count, verdict.of_group};
    return;
  }
  if (is_farthest) verdict.farther_at = from->metres;
  // A loop out in the world waits until it is the loudest of its kind.
  const std::vector<BankLayer>& layers = verdict.sound->design->layers;
  verdict.full = from != nullptr && std::any_of(layers.begin(), layers.end(), [](const BankLayer& l) { return l.loop; });
  if (!verdict.full) gated.outcome = Outcome::limit_reached;
}

/// Whether a start leaves by what is decided so far.
bool Voices::leaves_by(const Verdict& verdict, const LiveStart& start) const {
  for (const Outdone& its : verdict.leaving())
    if (its.start == &start) return true;
  return verdict.restarts && restarts(verdict, start);
}

/// Applies the limits to a start in the world whose delay is over: from here on the start counts against them.
Verdict Voices::verdict_on_due(const LiveStart& start) const {
  const BankSound& design = *start.sound->design;
  Gated gated;
  gated.verdict.sound = start.sound;
  gated.verdict.emitter = start.emitter;
  gated.verdict.scope = start.scope;
  const bool limited = limits_.own(start.sound->group) != GroupLimits::none;
  if (!start.in_world || (design.limit == 0 && !limited)) return gated.verdict;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (layer->stage == Stage::sounding) return gated.verdict;  // it counts already
  obey_limits(gated, start.from);
  gated.verdict.full = gated.verdict.full || gated.held();
  return gated.verdict;
}

/// A loop out in the world keeps its place: it is heard again where it is the loudest of its kind.
void Voices::leave_for_limit(LiveStart& start, Seconds fade, const Reason& why) {
  each_layer(start, [&](LiveLayer& layer) {
    if (layer.stage == Stage::leaving) return;
    if (!start.in_world || !layer.design->loop)
      leave(layer, fade, Ending::yielded, why);
    else if (layer.stage == Stage::sounding)
      put_to_sleep(layer, why);
  });
}

/// Whether the limits let a start in the world be heard, if all that it is clearly stronger than yields. `yielding` has who does.
bool Voices::may_wake(const LiveStart& start, Claim claim, Yielding& yielding) const {
  const std::uint32_t limit = start.sound->design->limit;
  if (limit > 0 && heard_of(start) >= limit && !has_to_yield(weakest_heard(start), claim, yielding)) return false;
  bool may = true;
  if (limits_.any)
    limits_.each_over(start.sound->group, [&](std::uint32_t limited) {
      if (!may || yielding.full()) return;
      const InGroup in = heard_in_group(limited, start, yielding);
      if (in.count >= limits_.groups[limited].limit) may = has_to_yield(in.weakest, claim, yielding);
    });
  return may;
}

bool Voices::has_to_yield(LiveStart* weakest, Claim to, Yielding& yielding) const {
  if (weakest == nullptr || !to.clearly_over(loudest_claim(*weakest))) return false;
  yielding.emplace_back(*weakest);
  return true;
}

Voices::InGroup Voices::heard_in_group(std::uint32_t limited, const LiveStart& but, const Yielding& yielding) const {
  InGroup in;
  each_in_group(limited, but.scope, [&](LiveStart& its) {
    if (&its == &but || yielding.any([&](const LiveStart& other) { return &other == &its; })) return;
    ++in.count;
    if (its.in_world && (in.weakest == nullptr || loudest_claim(its) < loudest_claim(*in.weakest))) in.weakest = &its;
  });
  return in;
}

/// Starts of its sound that have a voice, for its emitter or all, as its limit goes; it is not among them.
std::uint32_t Voices::heard_of(const LiveStart& start) const {
  std::uint32_t count = 0;
  each_heard(*start.sound, start.emitter, [&](const LiveStart& its) { count += &its != &start ? 1U : 0U; });
  return count;
}

/// The claim of the loudest of its layers that have a voice.
Claim Voices::loudest_claim(const LiveStart& start) const {
  Claim loudest;
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (layer->stage == Stage::sounding) loudest = std::max(loudest, pool_.claim_on(layer->voice));
  return loudest;
}

/// The start with the smallest claim among those that count against the limit of this start's sound, this start excluded.
LiveStart* Voices::weakest_heard(const LiveStart& start) const {
  LiveStart* weakest = nullptr;
  each_heard(*start.sound, start.emitter, [&](LiveStart& its) {
    if (&its != &start && (weakest == nullptr || loudest_claim(its) < loudest_claim(*weakest))) weakest = &its;
  });
  return weakest;
}

}  // namespace tidewater
