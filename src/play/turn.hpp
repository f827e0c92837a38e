#pragma once
/// Turning: one sound of a loaded bank gets other values while the game runs, and what plays of it moves there.

#include <memory>
#include <string>
#include <string_view>

#include "play/loaded.hpp"
#include "tidewater/name.hpp"
#include "tidewater/outcome.hpp"

namespace tidewater {

struct Control;

/// A turn, made ready before the lock is taken.
struct Turning {
  LiveBank* bank = nullptr;  ///< null if no bank of the name is loaded
  LiveSound* sound = nullptr;
  std::string problem;  ///< why the design cannot take the place of the present one
  std::unique_ptr<const TurnedSound> turned;
  std::unique_ptr<const Hearing> hearing;
  std::unique_ptr<const Following> following;
};

/// Makes the turn ready and asks for it. Waits for an update that is under way. Thread: any.
Outcome turn_now(Control& control, std::string_view bank, Name sound, std::string_view design);

}  // namespace tidewater
