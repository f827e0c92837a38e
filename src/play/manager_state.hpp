#pragma once
/// The control side behind SoundManager and Playback. Whoever calls a member holds the lock.
/// requests.cpp has what a game asks for, carry_out.cpp what becomes of it, banks.cpp loading,
/// mixer_link.cpp the traffic with the audio thread and the journal.

#include <deque>
#include <functional>
#include <list>
#include <memory>
#include <mutex>
#include <queue>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/random.hpp"
#include "mix/mixer.hpp"
#include "play/entry_list.hpp"
#include "play/groups.hpp"
#include "play/picker.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {

/// A sound of a loaded bank, with its own stream of random numbers.
struct LiveSound {
  const BankData* bank = nullptr;
  const BankSound* design = nullptr;
  std::uint32_t group = 0;
  Picker picker;
  Random random;
};

struct LiveBank {
  std::shared_ptr<const BankData> data;
  std::vector<LiveSound> sounds;
  bool unloaded = false;  ///< kept until nothing plays from it
};

struct LiveEvent {
  const BankEvent* design = nullptr;
  LiveBank* bank = nullptr;
};

/// One playback and the voice that it has: both have the same number.
struct LivePlayback {
  const LiveSound* sound = nullptr;  ///< null where the voice is free
  const BankClip* clip = nullptr;
  PlaybackId id;
  Decibels drawn_gain, own_gain;
  Semitones drawn_pitch;
  const char* leaving = nullptr;  ///< how it will have ended, once it was told to go
};

struct ManagerState {
  explicit ManagerState(ManagerOptions given);

  // What a game asks for.
  Raised raise(Name event);
  void stop(const Playback& handle, Seconds fade);
  void set_gain(const Playback& handle, Decibels gain, Seconds time);
  void bend(const Playback& handle, Semitones shift, Seconds time);
  void set_pan(const Playback& handle, Pan pan, Seconds time);
  void set_filter(const Playback& handle, StateFilter::Kind kind, Hertz frequency, Seconds time);
  void stop_all(Seconds fade);
  Outcome set_gain(Name group, Decibels gain, Seconds time);
  Outcome set_mute(Name group, bool mute);
  Outcome set_filter(Name group, StateFilter::Kind kind, Hertz frequency, Seconds time);
  /// Notes the request, filled in, and acts on what it names, or decides why not.
  template <class Fill, class Act>
  void change(JournalEntry::Kind kind, const Playback& handle, Seconds time, Fill fill, Act act);
  template <class Fill, class Act>
  Outcome change(JournalEntry::Kind kind, Name group, Seconds time, Fill fill, Act act);
  LivePlayback* find(const Playback& handle);
  Playback find(PlaybackId id);

  // What becomes of it.
  Outcome carry_out(const BankResponse& response, LiveBank& bank, PlaybackId id, Name event, Raised& raised);
  Outcome start(LiveSound& sound, const BankResponse& response, PlaybackId id, Name event, Raised& raised);
  Outcome stop_sound(const LiveSound& sound, Seconds fade, PlaybackId id, Name event);
  std::uint32_t take_voice(double level, const std::string& newcomer);
  void leave(LivePlayback& playback, Seconds fade, const char* how, std::string_view why = {});
  double level_of(const LivePlayback& playback) const;
  Outcome decide(Outcome outcome, PlaybackId id, std::string_view why);
  void send_group(std::uint32_t group, Seconds time);
  std::string why_unknown(Name event) const;

  // Banks.
  void load(const Bank& bank);
  bool unload(std::string_view name);
  void learn_events();
  void forget_silent_banks();

  // The audio thread and the journal.
  void send(const Command& command);
  void take_reports();
  JournalEntry& note(JournalEntry::Kind kind);
  void watch_clock(Seconds elapsed);
  void update(Seconds elapsed);
  std::uint32_t index_of(const LivePlayback& playback) const { return static_cast<std::uint32_t>(&playback - playbacks.data()); }
  std::int64_t frames_of(Seconds time) const { return frames(time, options.rate).value; }
  std::uint64_t step_of(const LivePlayback& playback, Semitones shift) const;

  ManagerOptions options;
  std::mutex mutex;
  std::mutex sink_mutex;  ///< held while the journal is handed on, so that its lines stay in order
  Mixer mixer;
  Groups groups;
  std::list<LiveBank> banks;
  std::unordered_map<std::uint64_t, LiveEvent> events;
  std::unordered_map<std::string, std::string> forgotten;  ///< event to the unloaded bank that had it
  std::vector<LivePlayback> playbacks;
  /// The lowest comes first: which voice a sound gets, and so the order of addition, never depends on the order of reports.
  std::priority_queue<std::uint32_t, std::vector<std::uint32_t>, std::greater<>> free_voices;
  std::deque<Command> backlog;
  EntryList entries;
  EntryList handed_on;
  Stats stats;
  std::int64_t last_clock = 0;
  Seconds unrendered;
  bool told_unrendered = false;
};

}  // namespace tidewater
