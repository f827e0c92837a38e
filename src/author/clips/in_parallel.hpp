#pragma once
#include <algorithm>
#include <atomic>
#include <chrono>
#include <functional>
#include <thread>
#include <vector>

namespace tidewater {

/// Calls `work(i)` for every i below `count`, on every core; `work` must not throw. `progress`, where there is one, hears
/// on this thread how many of how many are done.
inline void in_parallel(std::size_t count, const std::function<void(std::size_t)>& work,
                        const std::function<void(std::size_t, std::size_t)>& progress = {}) {
  std::atomic<std::size_t> next{0}, done{0};
  const auto run = [&] {
    for (std::size_t i = next++; i < count; i = next++) {
      work(i);
      ++done;
    }
  };
  std::vector<std::thread> helpers;
  const std::size_t most = std::max(1U, std::thread::hardware_concurrency());
  for (std::size_t i = 0; i < std::min(most, count); ++i) helpers.emplace_back(run);
  while (progress && done < count) {
    progress(done, count);
    std::this_thread::sleep_for(std::chrono::milliseconds(done == 0 ? 5 : 50));
  }
  for (auto& helper : helpers) helper.join();
}

}  // namespace tidewater
