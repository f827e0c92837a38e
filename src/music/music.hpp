#pragma once
/// Which track plays on each stand, and which one comes next, on which frame.
///
/// A planner: values in, placements out. It knows no voices and no banks, and is told what began and what ended. All frames are those of
/// the scope of the track that plays.

#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "music/timing.hpp"
#include "terms/agenda.hpp"
#include "terms/start_ref.hpp"
#include "tidewater/beat.hpp"
#include "tidewater/playback.hpp"

namespace tidewater {

inline constexpr std::size_t most_stands = 8;

/// A track that plays, or was placed and will.
struct PlayingTrack {
  std::uint64_t track = 0;  ///< hash of its name; 0 if nothing plays
  StartRef start;
  ScopeNumber scope = 0;
  Course course;
  std::int64_t fade_out = 0;  ///< frames, when it leaves and nothing comes
  TrackTiming timing;

  explicit operator bool() const { return track != 0; }
  /// Number of the last beat that the track has reached at a frame; less than 0 before its first.
  std::int64_t beat_reached(ScopeFrame when) const;
  /// The frame on which the track ends by itself; never for a loop.
  ScopeFrame ends() const { return timing.loops() ? ScopeFrame::never() : course.reaches(timing.end()); }
};

/// How a track begins.
struct TrackBeginning {
  ClipPosition source;  ///< where in its clip
  ClipPosition first;   ///< the place that falls on the boundary of a change: what lies between is the pick-up
  std::uint64_t step = std::uint64_t{1} << 32;
  std::int64_t needs = 0;    ///< frames that it needs to be read from disk
  std::int64_t fade_in = 0;  ///< frames, where nothing plays before it
};

/// A change that was asked for: to a track or to silence, perhaps by way of a bridge or an ending (`via`).
struct MusicChange {
  std::uint64_t track = 0;  ///< hash of its name; 0 for silence
  std::uint64_t via = 0;    ///< the bridge or the ending that plays before it; 0 for none
  On on = On::now;
  By by = By::cut;
  std::int64_t over = 0;  ///< frames: length of the crossing, or of the fade-out
  TrackBeginning begins, via_begins;
  bool seamless = false;        ///< `via` is the ending of the track that plays, and continues its samples
  bool by_itself = false;       ///< not asked for: the track stops after its time, or a list goes on
  ScopeFrame not_before = {0};  ///< earliest frame of a change by itself
  PlaybackId asked;             ///< the raise and response that asked for it
  std::uint64_t event = 0;      ///< hash of its event; 0 if a call asked for it

  /// Lets the change fall on the end of the track that plays, by a cut.
  void fall_on_end() {
    via = 0;
    on = On::end;
    by = By::cut;
  }
};

/// The plan of a change: a track that begins, and one that stops, each on its frame.
struct Placement {
  MusicChange change;
  std::uint64_t starts = 0;  ///< hash of the track that begins: the change's `track` or `via`; 0 for none
  ScopeFrame frame;          ///< on which the track begins: the boundary, or earlier by its pick-up
  ScopeFrame boundary;       ///< on which the change falls
  ClipPosition source;       ///< place in the clip from which the track begins
  std::int64_t fade_in = 0;
  bool crosses = false;  ///< the two tracks cross at equal power
  bool stops = false;    ///< the track that plays stops, at `stop_at`
  ScopeFrame stop_at;
  std::int64_t fade_out = 0;
};

/// One stand: the track that plays there and the change that is wanted. Consists of plain bytes.
struct Stand {
  std::uint64_t name = 0;  ///< hash; 0 if the place is free
  PlayingTrack playing;    ///< the track that is heard, or that begins on a frame already chosen
  PlayingTrack before;     ///< the track before it, heard up to `before_until`
  ScopeFrame before_until = {0};
  std::uint64_t target = 0;  ///< the track that plays in the end; 0 for silence
  std::uint64_t list = 0;    ///< hash of the list that chooses the tracks; 0 for none
  bool wants = false;        ///< `wanted` is to be placed
  bool after_via = false;    ///< a bridge or an ending plays; the change falls on its end
  MusicChange wanted;
  Agenda::Ticket turn = Agenda::no_ticket;
  ScopeFrame free_from = {0};  ///< up to here the last track that was told to stop is heard
  ScopeNumber free_scope = 0;
  ScopeFrame told = {0};  ///< the game was told of all beats before this frame
  ScopeNumber told_scope = 0;
};

/// Answers to a request.
enum class Asked {
  goes_on,  ///< the track plays already, or is on its way
  back,     ///< the track still plays: the change that was planned is off
  planned,  ///< call `due_for` for the moment at which the change is placed
  nothing,  ///< there is nothing to leave
};

class Music {
 public:
  Music() { passed_.reserve(most_passed); }

  /// Null if there is none.
  Stand* find(std::uint64_t name);
  const Stand* find(std::uint64_t name) const { return const_cast<Music*>(this)->find(name); }
  /// Null if all stands are taken.
  Stand* find_or_make(std::uint64_t name);
  /// Number of a stand for the agenda.
  std::uint32_t number_of(const Stand& stand) const { return static_cast<std::uint32_t>(&stand - stands_.data()); }
  Stand& numbered(std::uint32_t number) { return stands_[number]; }
  bool empty() const { return stands_.front().name == 0; }
  template <class Act>
  void each(Act act) {
    for (Stand& stand : stands_)
      if (stand.name != 0) act(stand);
  }
  template <class Act>
  void each(Act act) const {
    for (const Stand& stand : stands_)
      if (stand.name != 0) act(stand);
  }

  /// Asks for a change. `replaced` says who asked for the change that it replaces, if there is one.
  static Asked ask(Stand& stand, const MusicChange& change, std::optional<PlaybackId>& replaced);
  /// Plans the change that the stand wants. `from` is the first frame that a command can still reach. Requires `stand.wants`.
  static Placement plan(const Stand& stand, ScopeFrame from);
  /// Returns the first boundary of a track at or after a frame.
  static ScopeFrame boundary(const PlayingTrack& its, On on, ScopeFrame from);
  /// Notes on the stand that a placement was carried out. `begins` is empty if no track begins.
  static void place(Stand& stand, const Placement& placement, const PlayingTrack& begins);
  /// Forgets the change, because it cannot be carried out.
  static void give_up(Stand& stand) {
    stand.wants = stand.after_via = false;
    stand.target = stand.playing.track;
  }
  /// Notes on the stand that its track has ended, or was stopped by another call.
  static void ended(Stand& stand);
  /// Returns the first boundary at or after a frame of the track that is heard then. A sound effect on the beat starts there.
  static std::optional<ScopeFrame> next_boundary(const Stand& stand, On on, ScopeFrame from);

  /// Remembers the place in its clip at which a track was left. `left_at` returns nothing if it was never left.
  void leave_at(std::uint64_t track, ClipPosition position);
  std::optional<ClipPosition> left_at(std::uint64_t track) const;

  /// The beats that passed between the last two updates. Never has more than it has room for.
  std::vector<PassedBeat>& passed() { return passed_; }
  const std::vector<PassedBeat>& passed() const { return passed_; }

  /// See base/state.hpp.
  template <class State>
  void state(State& s) {
    s(stands_, left_, left_count_);
    const auto wrong = [](const PlayingTrack& its) {
      return its && (its.scope >= most_scopes || its.course.step == 0 || !its.timing.makes_sense());
    };
    if (std::any_of(stands_.begin(), stands_.end(), [&](const Stand& its) { return wrong(its.playing) || wrong(its.before); })) s.damage();
  }

 private:
  struct Left {
    std::uint64_t track = 0;
    ClipPosition position;
  };
  std::array<Stand, most_stands> stands_;
  std::array<Left, 32> left_;
  static constexpr std::size_t most_passed = 256;
  std::vector<PassedBeat> passed_;
  std::size_t left_count_ = 0;  ///< how often one was left: the oldest makes room
};

}  // namespace tidewater
