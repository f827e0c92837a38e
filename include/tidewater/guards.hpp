#pragma once
/// What a game does for a while, in stages or at a stretch, as objects that end it.
///
///     PlayingWhile wind = manager.play_while("wind.blew", sail);     // stops when it is destroyed
///
///     Action haul = manager.begin_action("net.hauled", winch);       // raises net.hauled.begun
///     haul.complete();                                               // net.hauled.completed; else interrupt(), or net.hauled.called-off
///
/// Both can be moved and not copied, and may outlive their manager: then they do nothing. Thread: any, one at a time for each object.

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

/// What one raise has started, until this is destroyed: then it stops by the book's fade-outs. At most `Raised::most_handles` playbacks.
class PlayingWhile {
 public:
  /// Of nothing.
  PlayingWhile() = default;
  explicit PlayingWhile(const Raised& raised) : raised_(raised) {}
  PlayingWhile(PlayingWhile&& other) noexcept : raised_(std::exchange(other.raised_, {})) {}
  /// Stops what this one guarded before.
  PlayingWhile& operator=(PlayingWhile other) noexcept {
    std::swap(raised_, other.raised_);
    return *this;
  }
  PlayingWhile(const PlayingWhile&) = delete;
  ~PlayingWhile();

  /// Stops now.
  void stop();
  /// The outcome of the raise, and its handles.
  const Raised& raised() const { return raised_; }

 private:
  Raised raised_;
};

/// An action in stages. Each stage raises an event of its own: the action's name with ".begun", ".completed", ".interrupted" or
/// ".called-off". Those that the book leaves out are silent, if it has one of them. The traits and the emitter are those of the beginning.
class Action {
 public:
  /// Of nothing.
  Action() = default;
  Action(Action&& other) noexcept { swap(other); }
  /// Calls off what was under way before.
  Action& operator=(Action other) noexcept {
    swap(other);
    return *this;
  }
  Action(const Action&) = delete;
  /// Calls the action off if it is under way.
  ~Action();

  /// Each ends the action. Returns `already_ended` if it is not under way.
  Raised complete();
  Raised interrupt();
  Raised call_off();
  bool under_way() const { return under_way_; }
  /// What the beginning did.
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
  Raised begun_;
};

}  // namespace tidewater
