#pragma once
/// Loading: of a bank whose clips were read, and in the background.

#include "play/control.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {

enum class LoadHow {
  new_one,
  in_place,  ///< of one of its name, where that is loaded
};

/// Those of its clips that are to be are in memory. Empty, or why it cannot be.
std::string load_read(Control& control, const Bank& bank, Preload preload, LiveClips clips, LoadHow how);

/// On the calling thread, its clips as well. Empty, or why it cannot be.
std::string load_now(Control& control, const Bank& bank, Preload preload, LoadHow how);

/// Has the thread that reads do both; offline it is done on return.
BankLoading begin_to_load(Control& control, const Bank& bank, Preload preload, LoadHow how);

}  // namespace tidewater
