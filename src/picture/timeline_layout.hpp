#pragma once
/// What is on a timeline and on which row, before any pixel is known.

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "tidewater/journal.hpp"

namespace tidewater {

/// One playback, from its first frame to its last; of one with layers, each layer.
struct Bar {
  std::string sound, layer, clip, group;
  std::uint32_t voice = 0;
  std::int64_t from = 0;
  std::int64_t to = -1;          ///< -1 while nothing ended it
  std::int64_t fade_in = 0;      ///< frames
  std::int64_t fades_from = -1;  ///< -1 where nothing stopped it
  Decibels gain;
  Semitones pitch;
  /// Spans without a voice, from and to; the last may be open, with -1.
  std::vector<std::pair<std::int64_t, std::int64_t>> dormant;
  /// Of one in the world: how far away it is from a frame on, in metres.
  std::vector<std::pair<std::int64_t, double>> away;
  bool silent = false;
  std::string how;  ///< of its end
  // Of a track.
  double bar_frames = 0;        ///< length of a bar; 0 for none
  std::int64_t first_beat = 0;  ///< frames from its beginning
  int slot = 0;                 ///< below its row's top, where playbacks of one sound overlap
};

std::string metres_text(double metres);
/// How far away it began, the nearest that it came, and where it ended; empty on the screen.
std::string way_of(const Bar& bar);

struct Mark {
  std::int64_t at = 0;
  std::string label;
  bool refused = false;
  bool held = false;  ///< the book held a start back
};

/// A time in which a scope is paused, or runs at another speed.
struct ScopeSpan {
  std::int64_t from = 0;
  std::int64_t to = -1;  ///< -1 while it lasts
  std::string text;      ///< "paused", or the speed
  bool paused = false;
};

/// Requests that were not heard for the same reason, explained once.
struct Unheard {
  std::vector<std::int64_t> at;
  std::string event, text;
  bool held = false;
};

/// All playbacks of one sound.
struct Row {
  std::string sound;
  std::vector<Bar*> bars;
  int slots = 1;
};

struct Lane {
  std::string group;
  std::vector<Row> rows;
  int slots = 0;
};

/// Listens to a journal.
class TimelineFacts {
 public:
  explicit TimelineFacts(Hertz rate) : rate_(rate) {}
  void take(const JournalEntry& entry);
  /// Bars in lanes and rows; those still open end at `end`.
  std::vector<Lane> lanes(std::int64_t end);

  std::vector<Mark> marks;    ///< events
  std::vector<Mark> changes;  ///< of groups: levels, filters, mutes
  /// When each group was muted, from and to; once `lanes` was called all have an end.
  std::map<std::string, std::vector<std::pair<std::int64_t, std::int64_t>>> muted;
  /// By group: how far ducks have lowered it, from a frame on; a point for each change.
  std::map<std::string, std::vector<std::pair<std::int64_t, double>>, std::less<>> ducked;
  /// By scope, and by mood; once `lanes` was called all have an end.
  std::map<std::string, std::vector<ScopeSpan>> scopes;
  std::vector<Unheard> unheard;  ///< what was refused first, then what the book held back; once `lanes` was called
  std::uint64_t seed = 0;
  std::uint32_t voices = 0;

 private:
  void take(const noted::Head& head, Frames at);
  void take(const noted::Asked& asked, Frames at);
  void take_scope(const Request& request, Frames at);
  void take_mood(const std::string& mood, bool on, Frames at);
  void take(const noted::Decision& decision, Frames at);
  void take(const noted::FurtherLayer& further, Frames at);
  void take(const noted::Due& due, Frames at);
  void take(const noted::Fading& fading, Frames at);
  void take(const noted::Woke& woke, Frames at);
  void take(const noted::Ended& ended, Frames at);
  void take(const noted::Kept& kept, Frames at);
  /// What is not drawn.
  template <class Other>
  void take(const Other&, Frames) {}

  void add_bar(PlaybackId id, const std::string& sound, Outcome outcome, const noted::Layer& layer);
  void add_filter(const Target& of, Hertz frequency, std::string_view filter, Seconds time, Frames at);
  void refuse(const noted::Decision& decision, Frames at);
  void moved(std::int64_t at);
  /// What a playback still has open.
  std::vector<Bar*> open(PlaybackId id);

  Hertz rate_;
  std::vector<Bar> bars_;
  std::map<PlaybackId, std::vector<std::size_t>> open_;
  std::map<std::uint64_t, std::size_t> mark_of_;
  std::map<std::uint64_t, Emitter> emitter_of_;     ///< by raise
  std::map<std::uint64_t, Place> place_of_, ears_;  ///< by the number of an emitter, and of a listener
};

}  // namespace tidewater
