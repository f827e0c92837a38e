#pragma once
#include <optional>
#include <vector>

#include "play/control.hpp"
#include "tidewater/beat.hpp"

namespace tidewater {

/// Returns the beat on a stand at a frame of the mixer. Returns nothing if no track with a tempo is heard. Thread: with the control lock.
std::optional<Beat> beat_at(const Control& control, Name stand, MixFrame heard);
/// Lists the beats that passed since this was last called. Thread: with the control lock.
void list_beats(Control& control, std::vector<PassedBeat>& passed);

}  // namespace tidewater
