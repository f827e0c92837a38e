#pragma once
#include <algorithm>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "bank/reader.hpp"
#include "play/clips.hpp"
#include "play/loaded.hpp"
#include "tidewater/manager.hpp"
#include "voices/verdict.hpp"

namespace tidewater {

/// Banks that are loaded in the background.
struct BackgroundLoads {
  std::vector<LoadedBank> fresh, told;
  struct UnderWay {
    std::string bank;
    std::vector<std::uint64_t> events;  ///< hashes of their names, sorted
    BankLoading loading;
  };
  std::vector<UnderWay> under_way;

  /// Moves the loads that ended since the last call to `told`.
  void hand_out() {
    told.clear();
    std::swap(told, fresh);
  }
  /// The load under way that brings an event. Null if none does.
  const UnderWay* that_brings(Name event) const {
    const auto its = std::find_if(under_way.begin(), under_way.end(), [&](const UnderWay& load) {
      return std::binary_search(load.events.begin(), load.events.end(), event.hash());
    });
    return its == under_way.end() ? nullptr : &*its;
  }
};

/// The loaded banks, their clips in memory, and the reader of the other clips.
///
/// Thread: whoever holds the control lock, unless a function says otherwise.
struct Library {
  explicit Library(const ManagerOptions& given) : options(given) {}

  /// The bank's clips, with samples for those that are to be in memory, or which clip cannot be read. Takes as long as reading them.
  /// Thread: any, outside any lock.
  Read<LiveClips> read_clips(const BankData& data, Preload wanted) const;
  /// The `Preload` value that the journal's load line has.
  Preload preload_of(const BankData& data, Preload wanted) const;
  /// Starts the reading thread, if there is to be one.
  void start_reading();
  /// On the calling thread. Returns what is wrong, or nothing.
  static std::string read_now(LiveBank& bank, LiveClip& clip);
  /// Asks the reading thread for a clip, once.
  void want(LiveBank& bank, LiveClip& clip);
  /// The same, or reads it now offline.
  void fetch_clip(LiveBank& bank, LiveClip& clip);
  /// Whether a clip is in memory. If not, it is asked for, or read now offline; a replay waits for it as the recording did.
  bool has_clip(LiveBank& bank, LiveClip& clip);
  /// Offline, reads the clips of layers that are away. Leaves layers out whose clip cannot be read; `problem` says why. Returns whether a
  /// layer has to wait for its clip.
  bool wait_for_clips(LiveBank& bank, Layers& layers, std::string& problem);
  /// Reads what was in memory when a state was saved. What was on its way then is on its way again.
  std::string restore_clips(LiveBank& bank);
  std::size_t clip_bytes();
  /// The clip that fell idle first and may be dropped, with its bank. Null if there is none.
  std::pair<LiveBank*, LiveClip*> oldest_idle();

  const ManagerOptions& options;
  Reader reader;
  Loaded loaded;
  BackgroundLoads loads;
  std::vector<ReadClip> just_read;                          ///< as the reading thread gave them
  std::vector<ClipData> dropped;                            ///< to be destroyed outside the lock
  std::vector<std::unique_ptr<const TurnedSound>> retired;  ///< designs that notes may still refer to
  bool told_of_budget = false;
  static constexpr std::size_t most_undeclared = 64;
  std::vector<std::uint64_t> undeclared;  ///< hashes of the undeclared values that were told
  bool replaying = false;                 ///< a recorded journal says what was read and dropped
};

}  // namespace tidewater
