#pragma once
#include <fmt/format.h>

#include <chrono>
#include <csignal>
#include <cstdio>
#include <thread>

#include "print.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

/// By Ctrl-C or SIGTERM, once `heed_interrupts` was called.
inline volatile std::sig_atomic_t interrupted = 0;
inline void heed_interrupts() {
  for (const int signal : {SIGINT, SIGTERM}) std::signal(signal, [](int) { interrupted = 1; });
}

/// Calls `again` whenever what `look` gives is another than before, until Ctrl-C. What it throws is told, and it goes on.
template <class Look, class Again>
void watch(Look look, Again again) {
  std::fflush(stdout);
  for (auto seen = look(); interrupted == 0;) {
    std::this_thread::sleep_for(std::chrono::milliseconds(150));
    if (look() == seen) continue;
    std::this_thread::sleep_for(std::chrono::milliseconds(50));  // until it is written
    seen = look();
    try {
      again();
    } catch (const Error& error) {
      complain("{}\n", error.what());
    }
    std::fflush(stdout);
  }
}

}  // namespace tidewater::tool
