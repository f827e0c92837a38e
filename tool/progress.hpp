#pragma once
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <string>

#include "tidewater/units.hpp"

namespace tidewater::tool {

/// A bar on the terminal for work that takes longer than a moment; nothing where nobody watches.
class Progress {
 public:
  explicit Progress(std::string what) : what_(std::move(what)) {}

  void show(std::size_t done, std::size_t all) {
    constexpr std::chrono::milliseconds moment{400};
    if (isatty(STDERR_FILENO) == 0 || std::chrono::steady_clock::now() - began_ < moment) return;
    constexpr std::size_t width = 40;
    const std::size_t filled = all == 0 ? width : done * width / all;
    fmt::print(stderr, "\r{} [{}{}] {} of {} ", what_, std::string(filled, '='), std::string(width - filled, ' '), done, all);
    std::fflush(stderr);
    shown_ = true;
  }
  void clear() {
    if (shown_) fmt::print(stderr, "\r{:90}\r", "");
    shown_ = false;
  }

 private:
  std::string what_;
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
  bool shown_ = false;
};

/// For work that counts in seconds of sound.
inline auto in_seconds(Progress& progress) {
  return [&progress, last = -1.0](Seconds done, Seconds of) mutable {
    if (done.value - last < 1) return;
    last = done.value;
    progress.show(static_cast<std::size_t>(done.value), static_cast<std::size_t>(std::max(done.value, of.value)));
  };
}

}  // namespace tidewater::tool
