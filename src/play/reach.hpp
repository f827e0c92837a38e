#pragma once
#include <cstdint>
#include <mutex>
#include <shared_mutex>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

struct Control;

/// A number of its own for each manager, by which handles find it, and which no later manager gets: a handle may outlive its manager.
class Reachable {
 public:
  explicit Reachable(Control& control);
  /// Waits for calls of handles that are under way; later ones find nothing.
  ~Reachable();
  Reachable(const Reachable&) = delete;
  Reachable& operator=(const Reachable&) = delete;

  std::uint64_t number() const { return number_; }

 private:
  std::uint64_t number_;
};

/// While a handle uses its manager: it is not destroyed meanwhile. Thread: any.
class Reach {
 public:
  explicit Reach(std::uint64_t number);
  /// Null if the manager is gone.
  Control* manager() const { return control_; }

 private:
  std::shared_lock<std::shared_mutex> lock_;
  Control* control_ = nullptr;
};

}  // namespace tidewater
