#pragma once
/// Guards: objects that stop a sound or end an action when they are destroyed.
///
///     PlayingWhile wind = manager.play_while("wind.blew", sail);     // plays until `wind` is destroyed
///
///     Action haul = manager.begin_action("net.hauled", winch);       // raises net.hauled.begun
///     haul.complete();                                               // raises net.hauled.completed
///
/// Guards can be moved, not copied. A guard whose manager is gone does nothing.
/// Thread: any thread, but one guard must not be used by two threads at once.

#include <array>
#include <cstddef>
#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/playback.hpp"
#include "tidewater/world.hpp"

namespace TIDEWATER_API tidewater {

/// Stops the playbacks of one raise, with the fade-outs of their sounds, when it is destroyed. Guards at most `Raised::most_handles`
/// playbacks.
class PlayingWhile {
 public:
  /// Guards nothing.
  PlayingWhile() = default;
  explicit PlayingWhile(const Raised& raised) : raised_(raised) {}
  PlayingWhile(PlayingWhile&& other) noexcept : raised_(std::exchange(other.raised_, {})) {}
  /// Stops the playbacks that this guard had before.
  PlayingWhile& operator=(PlayingWhile other) noexcept {
    std::swap(raised_, other.raised_);
    return *this;
  }
  PlayingWhile(const PlayingWhile&) = delete;
  ~PlayingWhile();

  /// Stops the playbacks now.
  void stop();
  /// Returns the outcome and the handles of the raise.
  const Raised& raised() const { return raised_; }

 private:
  Raised raised_;
};

/// An action in stages. Each stage raises an event: the action's name with ".begun", ".completed", ".interrupted" or ".called-off", with
/// the emitter and the traits of the beginning. If a loaded bank has one of the four events, the missing ones raise nothing.
class Action {
 public:
  /// Guards nothing.
  Action() = default;
  Action(Action&& other) noexcept { swap(other); }
  /// Calls off the action that this guard had before.
  Action& operator=(Action other) noexcept {
    swap(other);
    return *this;
  }
  Action(const Action&) = delete;
  /// Calls the action off if it is under way.
  ~Action();

  /// Each of these ends the action and raises its event. Returns `already_ended` if no action is under way.
  Raised complete();
  Raised interrupt();
  Raised call_off();
  bool under_way() const { return under_way_; }
  /// Returns the result of the beginning's raise.
  const Raised& begun() const { return begun_; }

 private:
  friend class SoundManager;
  Action(std::uint64_t manager, Name event, std::span<const Trait> traits, Emitter emitter);
  void swap(Action& other) noexcept;
  Raised raise(const char* stage);
  Raised end(const char* stage);

  std::uint64_t manager_ = 0;
  std::string event_;
  std::vector<std::pair<std::string, std::string>> traits_;
  Emitter emitter_;
  bool under_way_ = false;
  std::uint64_t number_ = 0;  ///< number of the raise that began the action; 0 if no bank has that event
  Raised begun_;
};

}  // namespace tidewater
