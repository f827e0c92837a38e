/// An update: open and close with the lock, listen without it.

#include <algorithm>
#include <utility>

#include "play/asking.hpp"
#include "play/beats.hpp"
#include "play/control.hpp"

namespace tidewater {

void Control::begin_update(const KeptLists& to_come) {
  {
    const Asking asking(*this);
    open_update(to_come);
  }
  hold_up(HoldUp::update_listens);
  listen(to_come);
}

void Control::open_update(const KeptLists& to_come) {
  noting.link.read_clock(noting.notebook);
  const bool anew = noting.begin_update();
  groups.settle(noting.link.now().at);
  if (!anew) return;
  catch_up();
  scopes.settle(noting.link.now().at);
  ++listening.updates;
  noting.link.count_request();
  forget_over();
  listening.take_removed(update, to_come, [this](std::uint32_t slot) {
    if (LiveStart* start = voices.start_at(slot)) voices.leave_behind(*start);
  });
  for (const KeptState& its : update.kept)
    if (its.gone) agenda.forget_place_of(its.emitter.number);
  forget_over();
  listening.open(update, voices, groups);
  driving.open(update);
}

void Control::listen(const KeptLists& to_come) {
  if (!update.open) return;  // nothing has moved since the update before
  listening.adopt(update, to_come);
  driving.read(update);
  listening.listen(update, [this](StartRef start) { return driving.louder_by_emitter(start, update); });
  // A start that may wake begins where its gauges are.
  for (const Contender& its : update.contenders)
    if (Followers::Follower* follower = driving.followers.find(its.start)) driving.read_of(*follower, update);
}

std::list<LiveBank> Control::end_update(Seconds elapsed, std::vector<ClipData>& done_with) {
  const Asking asking(*this);  // time stands where whoever asked last found it
  return close_update(elapsed, done_with);
}

std::list<LiveBank> Control::close_update(Seconds elapsed, std::vector<ClipData>& done_with) {
  if (update.open) {  // otherwise the clock stood still, or a request has moved it on meanwhile
    take_what_is_heard();
    starter.start_again(update);
    voices.tend();
    listening.unfilled = update.voices_free > 0 && voices.count().sounding < options.voices;
    forget_over();
  }
  tell_what_happened(elapsed);
  forget_over();  // before the banks go that those starts were of
  std::list<LiveBank> silent = library.loaded.take_silent();
  listening.leave(silent);
  done_with.swap(library.dropped);
  voices.hand_out_ended();
  hand_out_beats();
  library.loads.hand_out();
  return silent;
}

/// At most as many beats as there is room for: a game that does not update for long misses some.
void Control::hand_out_beats() {
  if (starter.music.empty()) return;
  starter.music.passed().clear();
  list_beats(*this, starter.music.passed());
}

/// Takes over what listening has found, as far as it still holds.
void Control::take_what_is_heard() {
  noting.link.count_request();
  voices.begin_tending();
  for (const VoicedLayer& layer : update.voiced)
    if (const auto* heard = listening.heard_now(layer)) voices.hear(layer, *heard);
  voices.hush([this](const LiveLayer& layer, const HeardFrom& from) {
    return from.level.audible() ? driving.why_silent(layer) : Listening::why_out_of_range(*layer.start->sound, from);
  });
  update.near.clear();
  for (const Contender& contender : update.contenders) update.near.push_back({contender.start, &contender.heard});
  driving.follow_on(update);
  starter.lift_stems();
  add_sleeping_layers();
  voices.bring_near(update.near);
  listening.close(update);
}

/// Layers that sleep while others of their start are heard may wake as any other does.
void Control::add_sleeping_layers() {
  for (const VoicedLayer& layer : update.voiced) {
    const HeardFrom* heard = listening.heard_now(layer);
    if (heard == nullptr || !heard->level.audible() || layer.sound->design->layers.size() == 1) continue;
    if (!update.near.empty() && update.near.back().start == layer.start) continue;
    const LiveStart* start = voices.find(layer.start);
    if (start != nullptr && Voices::any_asleep(*start)) update.near.push_back({layer.start, heard});
  }
}

/// Notices, and requests that follow from what was read since the update before.
void Control::tell_what_happened(Seconds elapsed) {
  const MixFrame now = noting.link.now().at;
  listening.tell_what_was_counted();
  const std::uint32_t broken = noting.link.mixer().take_broken_group();
  if (broken != Mixer::no_group && noting.watch.is_first_broken())
    noting.tell({.code = Reason::Code::broken_samples, .name = groups.names().name(broken)});
  voices.watch_streams([this](PlaybackId id, std::string_view trouble) {
    if (!library.replaying) ask(asked::Unreadable{id, trouble});
  });
  take_read_clips();
  keep_to_budget();
  if (noting.watch.stands_still(now, elapsed, voices.count().sounding > 0)) noting.tell({.code = Reason::Code::unrendered});
  if (const auto fast = noting.watch.runs_fast(now, elapsed, options.rate))
    noting.tell({.code = Reason::Code::fast_game, .number = fast->game.value, .other = fast->rendered.value});
}

void Control::forget_over() {
  for (const StartRef over : voices.over()) {
    listening.earshot.remove(over);
    driving.followers.remove(over);
    driving.cadences.remove(over);
  }
  voices.over().clear();
}

/// The reports of the audio thread and what is due, in the order of their frames; of one frame the reports come first.
void Control::catch_up() {
  constexpr int most = 32;  // a game that asks meanwhile waits
  const MixFrame now = noting.link.now().at;
  for (int count = 0;;) {
    const VoiceFinished* report = noting.link.report();
    const auto [ticket, frame] = agenda.due_by(now);
    if (report != nullptr && (ticket == Agenda::no_ticket || report->frame <= frame)) {
      voices.take(*report);
      noting.link.drop_report();
      continue;
    }
    if (ticket == Agenda::no_ticket || count == most) return;
    if (count++ == 0) noting.link.count_request();
    carry_out_due(ticket);
  }
}

void Control::carry_out_due(Agenda::Ticket ticket) {
  const Due& due = agenda[ticket];
  if (due.kind == Due::Kind::response) return starter.respond_late(ticket, update.open);
  if (due.kind == Due::Kind::grace) return end_grace(ticket);
  if (due.kind == Due::Kind::music) return starter.place_due(ticket);
  claim_due(voices.due_layer(due));
}

/// The delay of a start is nearly over.
void Control::claim_due(LiveLayer& layer) {
  const LiveStart& start = *layer.start;
  if (!update.open) hear_where_it_is(*layer.start);
  const auto claimed = voices.claim_due(layer);
  if (!claimed) return;
  const auto& [candidate, verdict] = *claimed;
  const Reason why = starter.why(*start.sound->loaded, candidate, start.in_world ? start.from : nullptr, verdict);
  noting.notebook.add(noting.link.now().at, DueNote{.outcome = outcome_of(candidate.fate),
                                                    .playback = start.id,
                                                    .sound = start.sound->design,
                                                    .layer = layer.design,
                                                    .starts = voices.times().mixed(start.scope, candidate.starts),
                                                    .voice = candidate.voice,
                                                    .why = noting.notebook.keep(why)});
  if (candidate.fate == Candidate::Fate::too_late) voices.leave(layer, {}, Ending::outranked);
}

/// A start that waited is heard from where it is now, and bent as its gauges are now.
void Control::hear_where_it_is(LiveStart& start) {
  if (start.in_world && listening.earshot.has(start.ref()))
    voices.hear(start, listening.earshot.heard_by(start.slot, listening.listeners.ears()));
  if (start.follows) driving.bend_now(start, start.in_world ? start.from : nullptr);
}

}  // namespace tidewater
