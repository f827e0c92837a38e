#include "tidewater/outcome.hpp"

#include "tidewater/ended.hpp"

namespace tidewater {

std::string_view to_text(Outcome outcome) {
  switch (outcome) {
    case Outcome::started: return "started";
    case Outcome::went_on: return "went-on";
    case Outcome::reading: return "reading";
    case Outcome::planned: return "planned";
    case Outcome::silent: return "silent";
    case Outcome::dormant: return "dormant";
    case Outcome::done: return "done";
    case Outcome::nothing_to_stop: return "nothing-to-stop";
    case Outcome::already_ended: return "already-ended";
    case Outcome::already_playing: return "already-playing";
    case Outcome::too_soon: return "too-soon";
    case Outcome::limit_reached: return "limit-reached";
    case Outcome::left_out: return "left-out";
    case Outcome::no_clip: return "no-clip";
    case Outcome::past_end: return "past-end";
    case Outcome::unreadable: return "unreadable";
    case Outcome::pool_full: return "pool-full";
    case Outcome::no_room: return "no-room";
    case Outcome::unknown_event: return "unknown-event";
    case Outcome::unknown_group: return "unknown-group";
    case Outcome::unknown_gauge: return "unknown-gauge";
    case Outcome::not_a_number: return "not-a-number";
    case Outcome::bank_not_loaded: return "bank-not-loaded";
    case Outcome::out_of_range: return "out-of-range";
    case Outcome::emitter_gone: return "emitter-gone";
    case Outcome::paused: return "paused";
    case Outcome::scope_ended: return "scope-ended";
    case Outcome::unknown_scope: return "unknown-scope";
    case Outcome::replaced: return "replaced";
    case Outcome::unknown_track: return "unknown-track";
    case Outcome::unknown_mood: return "unknown-mood";
    case Outcome::needs_reload: return "needs-reload";
    case Outcome::not_here: return "not-here";
    case Outcome::chain_too_long: return "chain-too-long";
  }
  return "?";
}

std::string_view to_text(Ending ending) {
  switch (ending) {
    case Ending::finished: return "finished";
    case Ending::stopped: return "stopped";
    case Ending::restarted: return "restarted";
    case Ending::yielded: return "yielded";
    case Ending::outranked: return "outranked";
    case Ending::unloaded: return "unloaded";
    case Ending::unreadable: return "unreadable";
    case Ending::dormant: return "dormant";
  }
  return "?";
}

}  // namespace tidewater
