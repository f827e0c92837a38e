#pragma once
#include <mutex>

#include "base/hold_up.hpp"
#include "base/ours.hpp"
#include "play/control.hpp"

namespace TIDEWATER_OURS tidewater {

/// While something is asked: nobody else asks, and what follows from it reaches the audio thread as a whole.
class Asking {
 public:
  explicit Asking(Control& control) : lock_(locked(control)), control_(control) { hold_up(HoldUp::asker_settled); }
  ~Asking() {
    hold_up(HoldUp::asker_commits);
    control_.commit();
  }
  Asking(const Asking&) = delete;
  Asking& operator=(const Asking&) = delete;

 private:
  static std::unique_lock<std::mutex> locked(Control& control) {
    hold_up(HoldUp::asker_locks);
    return std::unique_lock(control.mutex);
  }

  std::unique_lock<std::mutex> lock_;
  Control& control_;
};

/// One request, and what follows from it.
inline Outcome ask(Control& control, const Request& request, std::uint32_t slot = StartRef::any_slot) {
  const Asking asking(control);
  return control.settle_and_ask(request, {.slot = slot});
}

}  // namespace tidewater
