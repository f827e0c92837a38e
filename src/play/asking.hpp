#pragma once
#include <mutex>

#include "play/control.hpp"

namespace tidewater {

/// While something is asked: nobody else asks, and what follows from it reaches the audio thread as a whole.
class Asking {
 public:
  explicit Asking(Control& control) : lock_(control.mutex), control_(control) { control.settle(); }
  ~Asking() { control_.commit(); }
  Asking(const Asking&) = delete;
  Asking& operator=(const Asking&) = delete;

 private:
  std::unique_lock<std::mutex> lock_;
  Control& control_;
};

}  // namespace tidewater
