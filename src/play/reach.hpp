#pragma once
#include <cstdint>
#include <mutex>
#include <shared_mutex>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

struct Control;

/// Registers a manager under a number that no other manager gets. Handles keep the number instead of a pointer, and so may outlive the
/// manager.
class Reachable {
 public:
  explicit Reachable(Control& control);
  /// Blocks until the present calls of handles are over. Later calls do not find the manager.
  ~Reachable();
  Reachable(const Reachable&) = delete;
  Reachable& operator=(const Reachable&) = delete;

  std::uint64_t number() const { return number_; }
  bool given_by_id = false;  ///< `find` has returned a handle

 private:
  std::uint64_t number_;
};

/// Looks a manager up by its number, and keeps it from being destroyed as long as this object lives. Thread: any.
class Reach {
 public:
  explicit Reach(std::uint64_t number);
  /// Returns null if the manager is gone.
  Control* manager() const { return control_; }

 private:
  std::shared_lock<std::shared_mutex> lock_;
  Control* control_ = nullptr;
};

}  // namespace tidewater
