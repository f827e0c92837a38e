#pragma once
#include <mutex>

#include "base/hold_up.hpp"
#include "play/control.hpp"

namespace tidewater {

/// While something is asked: nobody else asks, and what follows from it reaches the audio thread as a whole.
class Asking {
 public:
  explicit Asking(Control& control) : Asking(control, Goes::anew) {}
  /// One request by `settle_and_ask`, and nothing else.
  static Asking at_the_door(Control& control) { return Asking(control, Goes::on); }
  /// An update that was begun: time stands where whoever asked last found it.
  static Asking going_on(Control& control) { return Asking(control, Goes::on); }
  ~Asking() {
    hold_up(HoldUp::asker_commits);
    control_.commit();
  }
  Asking(const Asking&) = delete;
  Asking& operator=(const Asking&) = delete;

 private:
  enum class Goes { anew, on };
  static std::unique_lock<std::mutex> locked(Control& control) {
    hold_up(HoldUp::asker_locks);
    return std::unique_lock(control.mutex);
  }
  Asking(Control& control, Goes goes) : lock_(locked(control)), control_(control) {
    if (goes == Goes::anew) control.settle();
    hold_up(HoldUp::asker_settled);
  }

  std::unique_lock<std::mutex> lock_;
  Control& control_;
};

}  // namespace tidewater
