#pragma once
/// How things sound, as a book says it and a bank keeps it: the same structs for both, filled by the keys of a book.

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/boundary.hpp"
#include "tidewater/export.hpp"
#include "tidewater/gauge.hpp"
#include "tidewater/quality.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

// Enumerations, and beside each how a book and a journal write its values, in their order.

/// How one clip of several is chosen.
enum class Pick { shuffle, random, in_order };
inline constexpr std::array<std::string_view, 3> pick_words = {"shuffle", "random", "in-order"};
/// Rule for a sound that is asked for while it plays.
enum class Retrigger { overlap, restart, ignore };
inline constexpr std::array<std::string_view, 3> retrigger_words = {"overlap", "restart", "ignore"};
/// Which playback of a sound or a group yields when as many play as may.
enum class WhenFull { oldest, quietest, newest, farthest };
inline constexpr std::array<std::string_view, 4> when_full_words = {"oldest", "quietest", "newest", "farthest"};
/// The values that each start draws for the whole sound.
enum class Draw { gain, pitch, pan, delay, low_pass };
inline constexpr std::array<std::string_view, 5> draw_words = {"gain", "pitch", "pan", "delay", "low-pass"};
inline constexpr std::size_t draw_count = draw_words.size();

/// Whether a sound is the same wherever one stands, or has distance and side.
enum class Where { screen, world };
inline constexpr std::array<std::string_view, 2> where_words = {"screen", "world"};
/// How the level falls on the way: by the formulas of OpenAL 1.1 and the W3C's Web Audio, or along points.
enum class Falloff { inverse, linear, exponential, points };
inline constexpr std::array<std::string_view, 3> falloff_words = {"inverse", "linear", "exponential"};
/// Rule for a sound whose emitter was removed.
enum class WhenGone { by_kind, stop, finish };
inline constexpr std::array<std::string_view, 3> when_gone_words = {"by-kind", "stop", "finish"};

struct FalloffPoint {
  Metres at;
  Decibels level;
  friend bool operator==(const FalloffPoint&, const FalloffPoint&) = default;
};

/// Of a thing that is heard most in front of it. Angles are whole ones: half of each lies to either side.
struct ConeDesign {
  Degrees inner{360};  ///< full level within
  Degrees outer{360};  ///< `outside` beyond; between them it falls evenly in decibels
  Decibels outside;
  friend bool operator==(const ConeDesign&, const ConeDesign&) = default;
};

/// How a sound is heard in the world.
struct WorldDesign {
  Where place = Where::screen;
  Metres full_within{1};    ///< `near`
  Metres silent_from{100};  ///< `far`
  Metres radius{0.5};       ///< of the thing itself: all round and full inside
  Falloff falloff = Falloff::inverse;
  std::vector<FalloffPoint> points;
  double rolloff = 1;  ///< how much quicker or slower it falls than the formula
  ConeDesign cone;
  double doppler = 1;  ///< share of what speed does to the pitch
  double air = 1;      ///< share of what the way through air takes from the treble
  WhenGone when_gone = WhenGone::by_kind;
  friend bool operator==(const WorldDesign&, const WorldDesign&) = default;
};

/// A duck: a group is lowered while another group is heard.
struct DuckDesign {
  std::string key;       ///< name of the other group; `for` in a book
  Decibels by;           ///< change of level, below 0 dB
  Decibels from{-40};    ///< level from which the other group counts as heard: mean power of 64 frames, dB below full scale
  Seconds attack{0.08};  ///< time down to `by`
  Seconds hold{0.3};     ///< time that the level stays down after the other group was last heard
  Seconds release{0.6};  ///< time up again
  friend bool operator==(const DuckDesign&, const DuckDesign&) = default;
};

struct GroupDesign {
  Decibels gain;
  bool muted = false;
  Hertz low_pass;  ///< 0 for none
  Hertz high_pass;
  std::uint32_t limit = 0;  ///< most playbacks at once, in the group and the groups below it; 0 for any number
  WhenFull when_full = WhenFull::oldest;
  bool player = false;  ///< offered to the player: see tidewater/settings.hpp
  friend bool operator==(const GroupDesign&, const GroupDesign&) = default;
};

/// Changes of a mood to one group.
struct MoodGroupDesign {
  std::string group;
  bool sets_gain = false;
  Decibels gain;              ///< on top of the group's own level, if `sets_gain`
  Hertz low_pass, high_pass;  ///< 0 for none
  friend bool operator==(const MoodGroupDesign&, const MoodGroupDesign&) = default;
};

/// A mood: changes of groups that come and go together.
struct MoodDesign {
  int rank = 5;           ///< of several moods that change the same thing, the highest holds
  Seconds fade_in{0.3};   ///< time of the changes when the mood begins
  Seconds fade_out{0.3};  ///< and when it ends
  std::vector<MoodGroupDesign> groups = {};
  friend bool operator==(const MoodDesign&, const MoodDesign&) = default;
};

/// A scope: playbacks that pause, slow down and end together.
struct ScopeDesign {
  Seconds fade_out;          ///< fade of its playbacks when the scope ends
  Seconds pause_fade{0.01};  ///< fade before a pause, and after it
  Seconds grace{1};          ///< after a restart: the time within which loops can be asked for again
  friend bool operator==(const ScopeDesign&, const ScopeDesign&) = default;
};

/// A part of a sound.
struct LayerDesign {
  Pick pick = Pick::shuffle;
  Range<Decibels> gain;  ///< on top of the sound's, as are pitch and delay
  Range<Semitones> pitch;
  Range<Seconds> delay;
  Range<Seconds> start_at;
  bool start_anywhere = false;
  double chance = 1;
  std::vector<FollowDesign> follow = {};
  friend bool operator==(const LayerDesign&, const LayerDesign&) = default;
};

/// How one track gives way to the next: within 5 ms, by crossing, or by way of a track that leads to it.
enum class By { cut, cross, bridge };
inline constexpr std::array<std::string_view, 3> by_words = {"cut", "cross", "bridge"};

/// A change between two tracks: on the track that comes or the one that is left, or on the pair of both.
struct ChangeDesign {
  std::string from;  ///< the track that is left; empty for any
  std::optional<On> on;
  std::optional<By> by;
  Seconds over;        ///< length of the crossing; 0 if nothing is said
  std::string bridge;  ///< the track that leads from one to the other
  friend bool operator==(const ChangeDesign&, const ChangeDesign&) = default;
};

/// A part of a track. The first part begins on the first beat.
struct PartDesign {
  std::string name;
  std::uint32_t bars = 1;
  bool loop = false;  ///< it goes round until the track is left
  friend bool operator==(const PartDesign&, const PartDesign&) = default;
};

/// Timing of a track, and how it changes with others. A track is a sound; its layers are the stems.
struct TrackDesign {
  std::string stand;        ///< tracks of one stand give way to one another; empty for the stand "main"
  Tempo tempo;              ///< 0 for none: every moment is a beat
  std::uint32_t metre = 4;  ///< beats of a bar
  std::uint32_t unit = 4;   ///< note value of a beat
  Seconds first_beat;       ///< place of the first beat in the clip; what lies before it is the pick-up
  std::vector<PartDesign> parts = {};
  bool goes_on = false;  ///< when it comes again it goes on where it was left
  std::string ending;    ///< the track that plays when this one is left at its end; empty for none
  Seconds stop_after;    ///< it leaves after so long, or after so many bars; 0 for never
  std::uint32_t stop_after_bars = 0;
  Range<Seconds> pause;                    ///< of a list: between two tracks
  std::vector<ChangeDesign> changes = {};  ///< the track's own, and those of pairs
  friend bool operator==(const TrackDesign&, const TrackDesign&) = default;

  std::string_view stand_name() const { return stand.empty() ? std::string_view("main") : std::string_view(stand); }
};

struct SoundDesign {
  Range<Decibels> gain;
  Range<Semitones> pitch;
  Range<Pan> pan;
  Range<Seconds> delay;
  Range<Hertz> low_pass;  ///< 0 for none
  Hertz high_pass;
  Range<Seconds> cadence;                   ///< it starts again and again, so far apart; 0 for once
  bool towards_middle = false;              ///< draws come more often from the middle of a range
  std::array<bool, draw_count> together{};  ///< those that are drawn with one number
  bool each_emitter = false;                ///< picks for each emitter by itself
  Retrigger retrigger = Retrigger::overlap;
  Seconds spacing;          ///< least time between two starts
  std::uint32_t limit = 0;  ///< most at once; 0 for any number
  WhenFull when_full = WhenFull::oldest;
  bool limit_each_emitter = false;  ///< retrigger, spacing and limit look at each emitter by itself
  int rank = 5;                     ///< from 0, first to lose its voice, to 9
  std::optional<Quality> quality;   ///< none: the group's, or else the manager's
  Seconds fade_in;
  Seconds fade_out;
  WorldDesign world;
  std::vector<FollowDesign> follow;
  friend bool operator==(const SoundDesign&, const SoundDesign&) = default;
};

/// The action of a response.
enum class Verb { start, stop, fade, pause, resume, gauge, level, mute, unmute, raise, call_off, play, leave, begin_mood, end_mood };
inline constexpr std::array<std::string_view, 15> verb_words = {"start",    "stop",  "fade",  "pause",      "resume",
                                                                "gauge",    "level", "mute",  "unmute",     "raise",
                                                                "call-off", "play",  "leave", "begin-mood", "end-mood"};
constexpr std::string_view word_of(Verb verb) { return verb_words[static_cast<std::size_t>(verb)]; }

/// The kind of thing that a response acts on.
enum class TargetKind { sound, gauge, group, event, track, stand, mood };
inline constexpr std::array<std::string_view, 7> target_words = {"sound", "gauge", "group", "event", "track", "stand", "mood"};
constexpr std::string_view word_of(TargetKind kind) { return target_words[static_cast<std::size_t>(kind)]; }

/// The playbacks of a sound that a response acts on: those of the raise's emitter, all, those in the scope of the raise, or those that the
/// same action started. An action is an `Action` (tidewater/guards.hpp). A raise outside an action is an action of its own, together with
/// the events that it raises.
enum class Whom { emitter, all, scope, action };
inline constexpr std::array<std::string_view, 4> whom_words = {"emitter", "all", "scope", "action"};

/// The arguments of a verb. The book's reader, `show`, unpacking and play use these rows. A new verb needs a word above, a row here, a row
/// of prose in src/author/book/keys.cpp, and its effect in src/play/effects.cpp.
struct VerbRow {
  TargetKind target = TargetKind::sound;
  bool starts = false;          ///< plays its target; other verbs act on what plays
  std::string_view time = {};   ///< the book's key for its time; empty if it takes none
  std::string_view value = {};  ///< the book's key for its value; empty if it takes none
  bool value_is_needed = false;
  std::span<const Whom> whom = {};  ///< the values that its `for` can have; empty if it takes none
  bool on = false;                  ///< whether it takes an `on`
};
inline constexpr std::array<Whom, 4> any_whom = {Whom::emitter, Whom::all, Whom::scope, Whom::action};
inline constexpr std::array<Whom, 2> emitter_or_all = {Whom::emitter, Whom::all};
inline constexpr std::array<VerbRow, verb_words.size()> verb_rows = {{
    {.starts = true, .value = "gain", .on = true},                               // start
    {.time = "fade", .whom = any_whom},                                          // stop: without a time, the sound's fade-out
    {.time = "over", .value = "to", .value_is_needed = true, .whom = any_whom},  // fade
    {.whom = any_whom},                                                          // pause
    {.whom = any_whom},                                                          // resume
    {.target = TargetKind::gauge, .value = "to", .value_is_needed = true, .whom = emitter_or_all},  // gauge
    {.target = TargetKind::group, .time = "over", .value = "to", .value_is_needed = true},          // level
    {.target = TargetKind::group},                                                                  // mute
    {.target = TargetKind::group},                                                                  // unmute
    {.target = TargetKind::event, .value = "gain", .whom = emitter_or_all},                         // raise
    {.target = TargetKind::event, .whom = any_whom},                                                // call-off
    {.target = TargetKind::track, .starts = true},                                                  // play
    {.target = TargetKind::stand, .time = "fade", .on = true},  // leave: without a time, the track's fade-out
    {.target = TargetKind::mood},                               // begin-mood
    {.target = TargetKind::mood},                               // end-mood
}};
constexpr const VerbRow& row_of(Verb verb) { return verb_rows[static_cast<std::size_t>(verb)]; }

/// One thing that an event does.
struct ResponseDesign {
  Verb verb = Verb::start;
  Range<Seconds> delay = {};      ///< how long after the event
  Seconds time = {};              ///< how long it takes: the fade of a stop, the ramp of a level
  std::optional<Whom> whom = {};  ///< none: the emitter's playbacks if the raise has an emitter, and all otherwise
  double value = 0;               ///< a level in dB, or the value of a gauge
  double left_out = 0;            ///< share of the raises that do not carry it out: 1 less the book's `chance`
  std::optional<On> on = {};      ///< the next boundary of the track that plays; none: at once
  friend bool operator==(const ResponseDesign&, const ResponseDesign&) = default;

  bool starts() const { return row_of(verb).starts; }
  /// Whether its target is a sound or a track, which is a sound of its bank.
  bool acts_on_sound() const { return row_of(verb).target == TargetKind::sound || row_of(verb).target == TargetKind::track; }
  Decibels level() const { return {value}; }
};

}  // namespace tidewater
