#pragma once
#include <mutex>

#include "play/control.hpp"

namespace tidewater {

/// While something is asked: nobody else asks, and what follows from it reaches the audio thread as a whole.
class Asking {
 public:
  explicit Asking(Control& control) : Asking(control, Goes::anew) {}
  /// An update that was begun: time stands where whoever asked last found it.
  static Asking going_on(Control& control) { return Asking(control, Goes::on); }
  ~Asking() { control_.commit(); }
  Asking(const Asking&) = delete;
  Asking& operator=(const Asking&) = delete;

 private:
  enum class Goes { anew, on };
  Asking(Control& control, Goes goes) : lock_(control.mutex), control_(control) {
    if (goes == Goes::anew) control.settle();
  }

  std::unique_lock<std::mutex> lock_;
  Control& control_;
};

}  // namespace tidewater
