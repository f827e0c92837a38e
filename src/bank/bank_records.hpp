#pragma once
/// The parts of a bank file, as docs/bank-format.md describes it: a header, a table of fixed records, and payloads. Little-endian, and
/// without pointers: whoever writes and whoever reads copy the very same structs.

#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <span>
#include <type_traits>

#include "base/ours.hpp"

namespace tidewater::bank_file {

static_assert(std::endian::native == std::endian::little, "a bank's records are little-endian, and copied as they are");

inline constexpr std::array<char, 8> magic = {'T', 'I', 'D', 'E', 'B', 'A', 'N', 'K'};
inline constexpr std::uint32_t version = 1;
inline constexpr std::uint64_t alignment = 64;     ///< of payloads, in bytes
inline constexpr std::uint64_t block = 64 * 1024;  ///< bytes of payload that one hash is of

/// Up to the next boundary of payloads.
constexpr std::uint64_t rounded_up(std::uint64_t size) { return (size + alignment - 1) / alignment * alignment; }

/// XXH3, 64 bits (Y. Collet).
TIDEWATER_OURS std::uint64_t hash_of(std::span<const std::byte> bytes);

struct Header {
  std::array<char, 8> magic{};
  std::uint32_t version = 0;
  std::uint32_t sections = 0;   ///< how many section records begin the table
  std::uint64_t file_size = 0;  ///< bytes, as are all places and sizes
  std::uint64_t table_at = 0;
  std::uint64_t table_size = 0;
  std::uint64_t table_hash = 0;
  std::uint64_t payload_at = 0;   ///< from there to the end are payloads, and zeros between them
  std::uint64_t streams_at = 0;   ///< from there to the end are those of files that stream
  std::uint64_t header_hash = 0;  ///< of what comes before it
};

/// The kinds of sections.
enum class Kind : std::uint32_t {
  texts = 1,
  about,
  groups,
  clips,
  uses,
  values,
  choices,
  layers,
  sounds,
  responses,
  events,
  hashes,
  bases,
  marks,
  falloffs,
  gauges,
  follows,
  curves,
  curve_points,
  scopes,
  conditions,
  traits,
  tracks,
  parts,
  changes,
  ducks,
  moods,
  mood_groups
};

struct Section {
  Kind kind{};
  std::uint32_t record_size = 0;  ///< a later writer may add to a record's end
  std::uint64_t at = 0;           ///< from the table's beginning
  std::uint64_t count = 0;
};

/// A piece of the texts, UTF-8.
struct Text {
  std::uint32_t at = 0, size = 0;
};
/// Some records of another section, one after the other.
struct Part {
  std::uint32_t first = 0, count = 0;
};
struct Span {
  double low = 0, high = 0;
};

struct About {
  Text name;                  ///< of the bank
  Text tool;                  ///< that wrote it, with its version
  Text target;                ///< that it was packed for; empty for none
  std::uint32_t reach = 0;    ///< zeros before and after each channel of a clip, in samples
  std::int32_t priority = 0;  ///< of what has the same names, the highest counts
  std::uint64_t content = 0;  ///< hash of all that is heard of it
  double rate = 0;            ///< of all clips, in hertz
  Text language;              ///< of speech; empty for none
};

/// Another bank, which this one takes clips from: it is loaded first.
struct Base {
  Text name;
  std::uint64_t content = 0;
  std::uint32_t replaces = 0;  ///< 1: what has the same name there is changed by this one
  std::uint32_t reserved = 0;
};

/// The first is the master; a parent comes before its children.
struct Group {
  Text name;
  std::uint32_t parent = 0;
  std::uint32_t muted = 0;
  double gain = 0;                     ///< decibels, as are all gains and levels; minus infinity is silence
  double low_pass = 0, high_pass = 0;  ///< hertz; 0 for none
  std::uint32_t limit = 0;             ///< 0 for any number
  std::uint32_t when_full = 0;
  Part ducks;
  std::uint32_t player = 0;  ///< 1: offered to the player
  std::uint32_t reserved = 0;
};

/// Changes of groups that come and go together.
struct Mood {
  Text name;
  std::uint32_t rank = 0;
  std::uint32_t reserved = 0;
  double fade_in = 0, fade_out = 0;  ///< seconds
  Part groups;
};
struct MoodGroup {
  Text group;  ///< its name
  std::uint32_t sets_gain = 0;
  std::uint32_t reserved = 0;
  double gain = 0, low_pass = 0, high_pass = 0;  ///< decibels; hertz, 0 for none
};

/// A group is lowered while another one is heard.
struct Duck {
  Text key;                                  ///< name of the other group
  double by = 0, from = 0;                   ///< decibels
  double attack = 0, hold = 0, release = 0;  ///< seconds
};

enum class Samples : std::uint32_t { sixteen_bits = 1, floats };

struct Clip {
  Text name;
  Samples samples{};
  std::uint32_t channels = 0;
  std::uint64_t payload_at = 0;  ///< from the file's beginning
  std::uint64_t payload_size = 0;
  std::int64_t frames = 0;
  std::int64_t loop_from = 0;
  double level = 0;
  double fold = 1;  ///< amplitude of a stereo clip in one channel
  // Of one that streams: a complete file, of which the payload above has the beginning.
  std::uint64_t stream_at = 0;  ///< from the bank's beginning; 0 for none
  std::uint64_t stream_size = 0;
  std::int64_t stream_frames = 0;  ///< at the file's own rate
  double stream_rate = 0;          ///< hertz
  std::int64_t head = 0;           ///< frames in the payload
  std::uint32_t on_use = 0;        ///< 1: it may be read when it is first needed
  std::uint32_t base = 0;          ///< 0: its samples are here; else the number of the base that has them, from 1
  std::uint32_t in_base = 0;       ///< which of that one's clips it is
  std::uint32_t reserved = 0;
  Part marks;
};

/// A place in a clip, such as the beginning of a word: room for what is to come, of which nothing is written yet.
struct Mark {
  Text name, text;
  std::int64_t frame = 0;
};

struct Use {
  std::uint32_t clip = 0;
  float share = 0;  ///< in the long run, beside the others of its choice; 0 where it is not known, or never
  double weight = 1;
  double trim = 0;
};

struct Value {
  Text text;
};

struct Choice {
  Part values, uses;
  std::uint32_t weighted = 0;
  std::int32_t heavy = -1;
  double again = 0;
};

struct Layer {
  Text name;
  Part by;  ///< of the values: names of traits
  Part choices;
  std::uint32_t loop = 0;
  std::uint32_t pick = 0;
  std::uint32_t start_anywhere = 0;
  std::uint32_t reserved = 0;
  double chance = 1;
  Span gain, pitch, delay, start_at;  ///< decibels, semitones, seconds, seconds
  Part follows;
};

struct Sound {
  Text name;
  Part layers;
  std::uint32_t group = 0;
  std::uint32_t towards_middle = 0;
  std::uint32_t together = 0;  ///< a bit for each of gain, pitch, pan, delay, low-pass, the lowest first
  std::uint32_t each_emitter = 0;
  std::uint32_t retrigger = 0;
  std::uint32_t limit = 0;
  std::uint32_t when_full = 0;
  std::uint32_t limit_each_emitter = 0;
  std::uint32_t rank = 0;
  std::uint32_t quality = 0;  ///< 0: the manager's, 1 standard, 2 fine
  Span gain, pitch, pan, delay, low_pass;
  double high_pass = 0;
  double spacing = 0, fade_in = 0, fade_out = 0;  ///< seconds
  std::uint64_t content = 0;                      ///< hash of all that is heard of it; 0 where it is not known
  std::uint32_t in_world = 0;                     ///< 1: what follows holds
  std::uint32_t falloff = 0;                      ///< 0 inverse, 1 linear, 2 exponential, 3 along points
  Part points;                                    ///< of the falloff
  std::uint32_t when_gone = 0;                    ///< 0 by kind, 1 stop, 2 finish
  std::uint32_t reserved = 0;
  double full_within = 0, silent_from = 0, radius = 0;      ///< metres
  double rolloff = 0, doppler = 0, air = 0;                 ///< 1 is natural
  double cone_inner = 0, cone_outer = 0, cone_outside = 0;  ///< degrees, degrees, decibels
  Part follows;                                             ///< of the sound; those of each layer come after them
  Span cadence;                                             ///< seconds; 0 where it starts once
  std::uint32_t scope = 0;                                  ///< number of a scope
  std::uint32_t reserved_too = 0;
  Part track;  ///< one if it is a track
};

/// Timing of a track, whose stems are the layers of the sound.
struct Track {
  Text stand;
  double tempo = 0;         ///< beats a minute; 0 for none
  std::uint32_t metre = 0;  ///< beats of a bar
  std::uint32_t unit = 0;   ///< note value of a beat
  double first_beat = 0;    ///< seconds
  Part parts;
  std::uint32_t goes_on = 0;  ///< 1: it goes on where it was left
  std::uint32_t stop_after_bars = 0;
  double stop_after = 0;  ///< seconds; 0 for never
  Text ending;
  Part changes;
  double rate = 0;          ///< hertz; of the clips' own frames
  std::int64_t frames = 0;  ///< of a clip
  std::int64_t loop_from = 0;
  std::uint32_t loops = 0;
  std::uint32_t beats_before = 0;
  std::int64_t offset = 0, to = 1, per = 1;  ///< own frame f lies at (offset + f * to) / per in the bank
  Span pause;                                ///< seconds; of a list
  Part list;                                 ///< values: the tracks that it chooses from
};

/// A part of a track, by the number of its bars.
struct TrackPart {
  Text name;
  std::uint32_t bars = 0;
  std::uint32_t loop = 0;
};

/// A change between two tracks.
struct Change {
  Text from;
  std::uint32_t on = 0;  ///< from 1: now, beat, bar, part, end; 0 if nothing is said
  std::uint32_t by = 0;  ///< from 1: cut, cross, bridge; 0 if nothing is said
  double over = 0;       ///< seconds
  Text bridge;
};

/// A point of the curve along which a sound falls with its distance.
struct FalloffPoint {
  double metres = 0, level = 0;
};

struct Gauge {
  Text name;
  double from = 0, to = 0, initial = 0;
  double smoothing = 0;  ///< seconds
};

struct Scope {
  Text name;
  std::uint32_t parent = 0;  ///< number of a scope; the first is the root
  std::uint32_t reserved = 0;
  double fade_out = 0, pause_fade = 0, grace = 0;  ///< seconds
  Text mood;                                       ///< in force while the scope runs; empty for none
};

/// How a sound or a layer goes by one gauge.
struct Follow {
  Text gauge;                 ///< its name: of one of the gauges, or distance, angle, speed or height
  Part curves;                ///< one at most for each of what it bends
  std::uint32_t between = 0;  ///< 0 linear, 1 smooth, 2 step
  std::uint32_t on = 0;       ///< from 1: now, beat, bar, part, end; 0 for at once
};
struct Curve {
  std::uint32_t bends = 0;  ///< 0 gain, 1 pitch, 2 low-pass, 3 high-pass
  std::uint32_t reserved = 0;
  Part points;  ///< in order of the gauge
};
struct CurvePoint {
  double gauge = 0, value = 0;  ///< the gauge's unit; decibels, semitones, or hertz with 0 for no filter
};

struct Response {
  std::uint32_t verb = 0;
  std::uint32_t target = 0;  ///< number of a sound; 0 if the verb acts on something else
  double delay = 0, time = 0;
  std::uint32_t whom = 0;      ///< from 1; 0 for the default: the raise's emitter, or all without one
  std::uint32_t reserved = 0;  ///< 0
  double value = 0;            ///< decibels, or the value of a gauge
  double left_out = 0;         ///< share of the raises that do not carry it out
  double delay_to = 0;         ///< the longest delay; `delay` is the shortest
  Text name;                   ///< of a gauge, group, event or stand
  Part when;                   ///< conditions
  std::uint32_t on = 0;        ///< from 1: now, beat, bar, part, end; 0 for at once
  std::uint32_t reserved_too = 0;
};

/// A trait that a raise must have. Values of one trait are neighbours; one of them is enough.
struct Condition {
  Text trait, value;
};

/// A trait whose values the book declares.
struct Trait {
  Text name;
  Part values;
};

struct Event {
  Text name;
  Part responses;
};

/// The hash of each `block` bytes of payload, in order. Streams begin a block of their own.
struct Hash {
  std::uint64_t value = 0;
};

static_assert(sizeof(Header) == 72 && sizeof(Section) == 24 && sizeof(About) == 56 && sizeof(Group) == 64 && sizeof(Mood) == 40 &&
              sizeof(MoodGroup) == 40 && sizeof(Duck) == 48 && sizeof(Clip) == 128);
static_assert(sizeof(Base) == 24 && sizeof(Mark) == 24);
static_assert(sizeof(Use) == 24 && sizeof(Choice) == 32 && sizeof(Layer) == 120 && sizeof(Sound) == 312 && sizeof(FalloffPoint) == 16);
static_assert(sizeof(Scope) == 48 && sizeof(Gauge) == 40 && sizeof(Follow) == 24 && sizeof(Curve) == 16 && sizeof(CurvePoint) == 16);
static_assert(sizeof(Track) == 152 && sizeof(TrackPart) == 16 && sizeof(Change) == 32);
static_assert(sizeof(Response) == 80 && sizeof(Condition) == 16 && sizeof(Trait) == 16 && sizeof(Event) == 16);

}  // namespace tidewater::bank_file
