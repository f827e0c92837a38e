#pragma once
#include <hwy/targets.h>

#include <cstdint>

namespace tidewater::bench {

/// Calls `act()` once for each instruction set that this processor has, best first, with all kernels as that set runs them.
template <class Act>
void for_each_instruction_set(Act act) {
  for (const std::int64_t target : hwy::SupportedAndGeneratedTargets()) {
    hwy::SetSupportedTargetsForTest(target);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    act();
  }
  hwy::SetSupportedTargetsForTest(0);
  hwy::GetChosenTarget().DeInit();
}

}  // namespace tidewater::bench
