#pragma once
#include <optional>

#include "notebook/notebook.hpp"

namespace tidewater {

/// Sums over all that was decided, in order, by the room that decided it.
class RunningSums {
 public:
  explicit RunningSums(Hertz rate) : rate_(static_cast<std::int64_t>(rate.value)) {}

  /// What was decided up to the last full second, where this note begins another; then takes it in.
  std::optional<noted::Sums> take(const Note& note);

 private:
  std::int64_t rate_;
  noted::Sums so_far_;
};

}  // namespace tidewater
