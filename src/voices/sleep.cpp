/// Sleep and waking: what keeps its place without a voice.

#include <algorithm>
#include <utility>

#include "voices/voices.hpp"

namespace tidewater {
namespace {

constexpr int most_swaps = 64;  // at a time

}  // namespace

/// Groups that were turned change what everybody claims.
void Voices::freshen_claims() {
  if (tended_.levels == levels_.changes) return;
  tended_.levels = levels_.changes;
  for (LiveLayer* layer : pool_.owners())
    if (layer != nullptr) turned(*layer);
  for (std::size_t bed = 0; bed < sleepers_.near(); ++bed) turned(sleepers_[bed]);
}

/// Its level or its pitch has changed.
void Voices::turned(LiveLayer& layer) {
  if (layer.stage == Stage::dormant) sleepers_.change(layer, claim_of(layer), end_of(layer));
  if (layer.stage == Stage::sounding || layer.stage == Stage::held) pool_.on()[layer.voice].own = own_of(layer);
  if (layer.stage == Stage::sounding) pool_.claim(layer.voice, claim_of(layer));
}

/// Takes the voice from a layer that sounds or is held. The layer goes to sleep if that is worth it, and ends otherwise.
void Voices::put_to_sleep(LiveLayer& layer, const Reason& why) {
  // What nobody hears keeps its place however short it is: it may be heard before it ends.
  const bool nobody_waits = layer.start->sound->home->unloaded;
  const bool stands = layer.stage == Stage::held;  // its time stands, so it may be heard again
  if (nobody_waits || (!stands && level_of(layer).audible() &&
                       !worth_waiting(*layer.design, *layer.clip, position_at(layer, times().at(layer.start->scope, link_.now().lands)),
                                      layer.progress.step))) {
    leave(layer, {}, Ending::outranked, why);
    return;
  }
  pool_.claim_nothing(layer.voice);
  --(layer.stage == Stage::held ? count_.held : count_.sounding);
  layer.stage = Stage::settling;
  ++count_.dormant;
  link_.send(StopVoice{layer.voice, 0});
  notebook_.add(
      link_.now().at,
      FadingNote{layer.start->id, layer.start->sound->design, layer.design, Ending::dormant, layer.voice, {}, notebook_.keep(why)});
}

/// The first frame at which it would be over.
ScopeFrame Voices::end_of(const LiveLayer& layer) const {
  return layer.design->loop || layer.waits()
             ? Sleepers::never
             : layer.progress.since + layer.progress.position.frames_to(layer.clip->frames, layer.progress.step);
}

/// They are gone, and only have to be swept up.
void Voices::forget_sleepers(PlayedSound& sound) {
  count_.dormant -= static_cast<std::uint32_t>(asleep(sound));
  if (asleep(sound) > 0) sound.home->asleep -= sound.asleep;
  sound.asleep = 0;
}

/// From now on it only keeps its place.
void Voices::fall_asleep(LiveLayer& layer, ClipPosition position, ScopeFrame since) {
  if (layer.stage != Stage::settling) ++count_.dormant;
  layer.stage = Stage::dormant;
  layer.progress.position = position;
  layer.progress.since = since;
  sleepers_.add(layer, claim_of(layer), end_of(layer), !layer.start->in_world, layer.start->scope);
  if (tended_.to_sweep > 0) tended_.to_sweep = sleepers_.size();  // beds have changed hands
  PlayedSound& sound = *layer.start->sound;
  sound.asleep = asleep(sound) + 1;
  sound.home->asleep = asleep(*sound.home) + 1;
  sound.stops = sound.home->stops = all_.stops;
}

/// Asleep, it claims nothing up to a frame shortly before its own.
void Voices::wait_for(LiveLayer& layer, ScopeFrame frame) {
  layer.turn = agenda_.add_layer(layer.start->scope, frame, layer.slot);
  turned(layer);
}

void Voices::stop_waiting(LiveLayer& layer) { agenda_.remove(std::exchange(layer.turn, Agenda::no_ticket)); }

bool Voices::waits_for_clips(const LiveStart& start) {
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over() && layer->unread) return true;
  return false;
}

/// The clips of all its layers are there: they go on, later than they were asked for.
void Voices::go_on(LiveStart& start) {
  const std::int64_t later = std::max<std::int64_t>(0, base_of(start.scope) - start.base);
  start.base += later;
  start.heard += later;
  each_layer(start, [&](LiveLayer& layer) {
    stop_waiting(layer);
    layer.progress.since += later;
    wait_for(layer, start.paused() ? ScopeFrame::never() : waits_until(start.scope, layer.progress.since));
  });
}

/// Calls `act(layer)`, which may end it, for all that wait for a clip; starts that wait for no other go on.
template <class Act>
void Voices::each_unread(const PlayedBank& bank, const LiveClip& clip, Act act) {
  for (const StartRef its : of_clips_.waiting) {
    LiveStart* start = find(its);
    if (start == nullptr || start->sound->home != &bank) continue;
    bool any = false;
    each_layer(*start, [&](LiveLayer& layer) {
      if (!layer.unread || &layer.live_clip() != &clip) return;
      any = true;
      layer.unread = false;
      act(layer);
    });
    if (any && starts_.find(its) != nullptr && !waits_for_clips(*start)) go_on(*start);
  }
  std::erase_if(of_clips_.waiting, [&](StartRef its) {
    const LiveStart* start = starts_.find(its);
    return start == nullptr || !waits_for_clips(*start);
  });
}

void Voices::clip_came(PlayedBank& bank, LiveClip& clip) {
  bank.clips.came(clip, ++of_clips_.idle);
  each_unread(bank, clip, [](LiveLayer&) {});
}

void Voices::clip_failed(PlayedBank& bank, const LiveClip& clip) {
  each_unread(bank, clip, [&](LiveLayer& layer) { leave(layer, {}, Ending::unreadable); });
}

void Voices::get_up(LiveLayer& layer) {
  if (layer.waits()) stop_waiting(layer);
  if (!is_counted_out(layer)) {
    --layer.start->sound->asleep;
    --layer.start->sound->home->asleep;
    --count_.dormant;
  }
  sleepers_.remove(layer);
}

/// Told to go while it slept: it is over, and an update will say so.
bool Voices::gone(const LiveLayer& layer) const {
  return layer.stage == Stage::dormant && (is_counted_out(layer) || ended_with_scope(*layer.start));
}

/// The same for a layer that the counts of sleepers do not include any more.
bool Voices::is_counted_out(const LiveLayer& layer) const {
  const LiveStart& start = *layer.start;
  return layer.stage == Stage::dormant && (start.id <= all_.before || start.id <= start.sound->stopped || start.sound->home->unloaded);
}

/// All of its layers that are not over.
bool Voices::gone(const LiveStart& start) const {
  for (const LiveLayer* layer = start.layers; layer != nullptr; layer = layer->next)
    if (!layer->over() && !gone(*layer)) return false;
  return true;
}

/// Sleepers that have come to their end without being heard again.
void Voices::end_slept_out() {
  const MixFrame lands = link_.now().lands;
  const ScopeMask any = sleepers_.any_ended([&](ScopeNumber scope) { return times().at(scope, lands); });
  if (any == 0) return;
  for (std::size_t i = sleepers_.size(); i-- > 0;) {
    if ((bit_of(sleepers_.scope(i)) & any) == 0 || !sleepers_.ended(i, times().at(sleepers_.scope(i), lands))) continue;
    LiveLayer& layer = sleepers_[i];
    get_up(layer);
    end(layer, lands, Ending::finished);
  }
}

/// Sleepers that were told to go, a portion at a time: there may be any number, and a game waits meanwhile.
void Voices::sweep() {
  constexpr std::size_t most_looked_at = 512, most_ended = 128;
  std::size_t bed = std::min(tended_.to_sweep, sleepers_.size());
  const std::size_t last = bed - std::min(bed, most_looked_at);
  for (std::size_t ended = 0; bed > last && ended < most_ended;) {
    // Those who take the beds of one that goes lay behind it: there all were looked at.
    LiveLayer& layer = sleepers_[--bed];
    if (!gone(layer)) continue;
    ++ended;
    get_up(layer);
    end(layer, link_.now().at, layer.start->sound->home->unloaded ? Ending::unloaded : Ending::stopped);
  }
  tended_.to_sweep = bed;
}

void Voices::begin_tending() {
  if (link_.now().at == tended_.at) return;
  tended_.goes_on = true;
  tended_.since_before = link_.now().at - tended_.at;
  tended_.recent[tended_.next_recent++ % tended_.recent.size()] = tended_.since_before;
  tended_.at = link_.now().at;
}

void Voices::tend() {
  begin_tending();
  if (!std::exchange(tended_.goes_on, false)) return;
  sweep();
  if (tended_.to_sweep > 0) return;  // thousands were told to go: nobody wakes among them until they are swept up
  end_slept_out();
  freshen_claims();
  for (int swaps = 0; swaps < most_swaps && sleepers_.near() > 0; ++swaps) {
    const std::size_t bed = sleepers_.strongest(times().held());
    if (bed == Sleepers::none) return;
    const Claim claim = sleepers_.claim(bed);
    LiveLayer& best = sleepers_[bed];
    if (!claim.audible() || pool_.free() == 0) return;
    Yielding yielding;
    if (best.start->in_world && !may_wake(*best.start, claim, yielding)) {
      sleepers_.send_away(best);  // as many of its sound or its group as may are heard: another's turn
      continue;
    }
    if (!yielding.empty()) {
      for (LiveStart& weakest : yielding)
        each_layer(weakest, [&](LiveLayer& layer) {
          if (layer.stage == Stage::sounding) give_way(layer, *best.start->sound);
        });
    } else if (count_.sounding >= options_.voices) {
      const std::uint32_t weakest = pool_.weakest();
      if (!claim.clearly_over(pool_.claim_on(weakest))) return;
      give_way(*pool_.owners()[weakest], *best.start->sound);
    }
    wake(best);
  }
}

}  // namespace tidewater
