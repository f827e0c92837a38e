#pragma once
/// Plays what a manager renders on a sound card.
///
///     SoundManager manager;
///     Device device(manager, {.required = false});   // it plays from here on, and goes on without a card
///     manager.load(bank);
///
/// Link Tidewater::device.

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/manager.hpp"

namespace TIDEWATER_API tidewater {

/// Rate and channels are the manager's own: `ManagerOptions::rate` and `layout`. Where the card has others, the sound
/// system converts.
struct DeviceOptions {
  /// Empty for the one that the system prefers; else one of `device_names()`.
  std::string name;
  /// Frames asked for at a time, from 32 to 8192. Smaller answers sooner; too small stutters where the machine is busy
  /// (docs/performance.md has figures). The card may choose otherwise.
  int block = 512;
  /// False where the game goes on without a card: the sound goes on unheard, at its pace, until one can be opened.
  bool required = true;
};

/// Names of the outputs that can be opened. Thread: the main thread.
std::vector<std::string> device_names();

/// While it lives, a thread of its own or of the sound system calls `manager.render`: nothing else may. The manager must
/// outlive it.
///
/// When the card or the sound server goes away, the game's sound goes on unheard, at its pace, and comes back as soon as
/// a device can be opened again; the journal has a notice of both.
class Device {
 public:
  /// Throws Error where there is no device or it cannot be opened, and it is required. Thread: the main thread.
  explicit Device(SoundManager& manager, const DeviceOptions& options = {});
  ~Device();
  Device(const Device&) = delete;
  Device& operator=(const Device&) = delete;

  /// What the card really took, in frames a block.
  int block() const;
  /// From `raise` to the card's own buffer, at worst: one block being played and one being filled.
  /// What the card and the sound server add behind it cannot be asked.
  Seconds latency() const;
  /// How often the sound system asked so late that its buffer must have run dry: a gap that was heard. The journal has a
  /// notice of them, every five seconds at most.
  std::uint64_t gaps() const;
  /// False while the device is gone.
  bool connected() const;
  /// The sound system and device in use, for a log.
  std::string description() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater
