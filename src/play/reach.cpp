#include "play/reach.hpp"

#include <algorithm>
#include <utility>
#include <vector>

namespace tidewater {
namespace {

struct Managers {
  std::shared_mutex mutex;
  std::vector<std::pair<std::uint64_t, Control*>> all;
  std::uint64_t last = 0;
};

/// The registry. It is never destroyed, because a guard may be a global object that is destroyed after everything else.
Managers& managers() {
  static auto* const its = new Managers;
  return *its;
}

}  // namespace

Reachable::Reachable(Control& control) {
  const std::lock_guard lock(managers().mutex);
  number_ = ++managers().last;
  managers().all.emplace_back(number_, &control);
}

Reachable::~Reachable() {
  const std::lock_guard lock(managers().mutex);
  std::erase_if(managers().all, [&](const auto& its) { return its.first == number_; });
}

Reach::Reach(std::uint64_t number) {
  if (number == 0) return;
  lock_ = std::shared_lock(managers().mutex);
  const auto& all = managers().all;
  const auto found = std::find_if(all.begin(), all.end(), [&](const auto& its) { return its.first == number; });
  if (found != all.end()) control_ = found->second;
}

}  // namespace tidewater
