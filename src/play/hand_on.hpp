#pragma once
#include <list>

namespace tidewater {

struct ManagerState;
struct LiveBank;

/// Hands the notebook on to the journal's sink, in words, outside the control lock; then destroys the banks that nothing plays from
/// any more. The sink may call the manager, also `update`, whose lines then come after. What it throws is passed on: the entry it
/// was given counts as handed on, the others come with the next update.
void hand_on(ManagerState& state, std::list<LiveBank>&& silent);

}  // namespace tidewater
