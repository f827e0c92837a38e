#pragma once
/// Loading: of a bank whose clips were read, and in the background.

#include "play/control.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {

enum class LoadHow {
  new_one,
  in_place,  ///< replaces the loaded bank of its name, if there is one
};

/// Loads a bank whose clips have been read. Returns why it cannot be loaded, or nothing.
std::string load_read(Control& control, const Bank& bank, Preload preload, LiveClips clips, LoadHow how);

/// Reads the clips and loads the bank on the calling thread. Returns why it cannot be loaded, or nothing.
std::string load_now(Control& control, const Bank& bank, Preload preload, LoadHow how);

/// Has the reading thread do both. Offline it is done when this returns.
BankLoading begin_to_load(Control& control, const Bank& bank, Preload preload, LoadHow how);

}  // namespace tidewater
