#pragma once
#include <vector>

#include "voices/live.hpp"

namespace tidewater {

/// The slots in which starts and layers live, found by name or by slot. What they need is asked for at once, so that they stay where
/// they are.
class Starts {
 public:
  static constexpr std::uint32_t any_slot = ~0U;

  /// So many layers; a start has one at least.
  explicit Starts(std::size_t capacity);

  std::size_t capacity() const { return capacity_; }
  /// Starts that are not over.
  std::size_t count() const { return starts_.size() - free_starts_.size(); }
  bool has_room(std::size_t layers) const { return free_layers_.size() + capacity_ - layers_.size() >= layers; }

  /// A start without layers yet; it needs one before anything else is asked of it. There must be room.
  LiveStart& begin(PlayedSound& sound, PlaybackId id);
  LiveLayer& add_layer(LiveStart& start);
  /// The layer is over. True where the start is over with it: then it has left its sound, and is read no longer than up to the next
  /// `begin`.
  bool end(LiveLayer& layer);

  /// Null where no such start goes on. The slot is where it was begun, if that is known.
  LiveStart* find(PlaybackId id, std::uint32_t slot);
  /// `any_slot` where it is over.
  std::uint32_t slot_of(PlaybackId id) const;

 private:
  std::size_t capacity_;
  std::vector<LiveStart> starts_;
  std::vector<LiveLayer> layers_;
  std::vector<std::uint32_t> free_starts_, free_layers_;
};

}  // namespace tidewater
