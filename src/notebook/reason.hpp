#pragma once
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "bank/bank_data.hpp"
#include "tidewater/trait.hpp"

namespace tidewater {

/// Why something was decided, as a code with what its words need. Nothing is put into words while deciding.
struct Reason {
  enum class Code : std::uint8_t {
    none,
    text,              ///< `name`, as it is
    unknown_event,     ///< `name`
    event_unloaded,    ///< with the bank `name`
    unknown_group,     ///< `name`
    unknown_gauge,     ///< `name`
    event_on_its_way,  ///< in the bank `name`, of which `number` percent are there
    no_such_bank,      ///< `name`
    no_such_sound,     ///< `name`, of the bank `more`
    no_turning,        ///< the build cannot turn sounds
    not_a_number,      ///< `name` is what, `more` its range
    brought,           ///< `name` of `number` `unit` was brought to `other`; `more` is its range
    plays_already,     ///< `sound`; `each`: for its emitter
    too_soon,          ///< `sound`, `number` seconds after another start of it, or before it if negative; `each`
    limited,           ///< `number` of `sound`; `each`. If `other` is not 0, the start is the farthest, at so many metres
    group_limited,     ///< `number` of group `name`; `other` is as for `limited`
    asked_again,
    past_end,     ///< `sound`, whose clip `name` has `number` seconds
    no_clip,      ///< `sound`, `layer`, `traits`
    otherwise,    ///< the same, of event `name`
    left_out,     ///< `sound`
    not_playing,  ///< `sound`
    put_off,      ///< verb `more` of `name`, for `number` seconds
    put_off_too_long,
    other_traits,       ///< of verb `name`
    response_left_out,  ///< the same, which has the chance `number`
    did,                ///< verb `more`, to `name`
    set_to,             ///< the same, with the value `number` `unit`
    raises,             ///< event `name`; the raise gets the number `number`
    chain_too_long,     ///< event `name` is not raised: the chain is `number` deep, or has `number` raises if `other` is not 0
    paused_by,          ///< event `name`
    called_off,         ///< by event `name`
    calls_off,          ///< of event `name`: `number` responses and `other` starts
    nothing_waits,      ///< of event `name`
    undeclared,         ///< value `more` of trait `name`, of event `unit`
    no_more_put_off,    ///< than `number`
    waits,              ///< all `number` voices are taken
    waits_for_fades,
    too_short,  ///< the same, and it cannot wait
    too_short_for_fades,
    muted,         ///< group `name`, since `number` seconds
    silent_group,  ///< group `name`
    faint_group,   ///< group `name`
    drawn_silent,
    silent_clip,
    faint,
    gave_way_to_heard,  ///< `name`
    outranked_by,       ///< `name`
    not_louder_than,    ///< `name`
    stream_late,        ///< of the clip `name`, at `number` seconds
    stream_back,        ///< `number` seconds later
    clip_read_now,      ///< the clip `name` is being read
    unreadable,         ///< `name` says why
    over_budget,        ///< `number` MiB of clips are in memory, of `other`
    unrendered,
    broken_samples,  ///< group `name`
    out_of_range,    ///< `number` metres away, and `sound` is heard from `other` on
    emitter_gone,    ///< number `number`
    emitter_removed,
    begins_cadence,      ///< of `sound`
    silent_by_gauge,     ///< gauge `name` at `number`
    held_by_gauge,       ///< the same, of the steps of `sound`
    steps_left_out,      ///< `number`, first of `sound`, after `other` seconds without an update
    unupdated,           ///< for `number` seconds
    fast_game,           ///< `number` seconds of game time in `other` seconds that were rendered
    no_place,            ///< of event `name`; `sound` is in the world
    no_listener,         ///< the same
    stale_emitters,      ///< `number` times
    no_emitters,         ///< of `number`
    too_many_listeners,  ///< number `number`, of `other`
    no_playbacks,        ///< of `number`
    no_room,             ///< `number` requests
    lines_lost,          ///< `number`
    late_lost,           ///< `number` requests
    unknown_scope,       ///< `name`
    scope_paused,        ///< scope `name`, since `number` seconds; `sound` is too short to wait
    scope_stands,        ///< the same for a scope whose time scale is 0
    waits_for_scope,     ///< scope `name` is on hold since `number` seconds
    scope_ended,         ///< scope `name`, at `number` seconds
    ends_with_scope,     ///< scope `name`
    restarted_with,      ///< scope `name`
    goes_on_by_traits,   ///< the steps of `sound`, by `traits`
    went_on,             ///< the playback of raise `number` and response `other`, after a restart of scope `name`
    held_gave_way,       ///< it was on hold
    left_over,           ///< for `number` seconds, after scope `name` restarted
    unknown_track,       ///< `name`
    unknown_mood,        ///< `name`
    silent_mood,         ///< mood `more` makes group `name` silent
    player_off,          ///< group `name`
    not_offered,         ///< group `name`
    no_more_players,     ///< group `name`
    duck_left_out,       ///< of group `name`, for group `more`
    track_unloaded,
    no_more_stands,         ///< than `number`; `name` would be one more
    no_music,               ///< on stand `name`
    track_on_its_way,       ///< `name`, or it plays
    track_still_plays,      ///< `name`: the change that was planned is off
    change_replaced,        ///< by `name`
    track_planned,          ///< at `seconds`, on `more` of track `name`: bar `number`, beat `other`, in part `unit`
    takes_over_on,          ///< as `track_planned`, without the time
    gives_way_on,           ///< as `track_planned`, without the time
    music_waits_for_scope,  ///< scope `name` is on hold since `number` seconds
  };

  Code code = Code::none;
  bool each = false;
  double number = 0, other = 0, seconds = 0;
  std::string_view name = {}, unit = {}, more = {};
  const BankSound* sound = nullptr;
  const BankLayer* layer = nullptr;
  std::span<const Trait> traits = {};
};

/// The known names, from which the nearest is proposed for an unknown one.
struct KnownNames {
  bool any_bank = false;
  std::function<std::vector<std::string_view>()> events, groups, gauges, scopes, tracks, moods;
  std::function<std::vector<std::string_view>(std::string_view trait)> values;  ///< declared ones
  /// The event that starts a sound; empty where there is no such sound, or nothing starts it.
  std::function<std::string(std::string_view sound)> event_that_starts;
};

std::string words(const Reason& reason, const KnownNames& known);

}  // namespace tidewater
