/// What every test program does before its first test and after its last.
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <string>

#include "audio_thread.hpp"

namespace {

class AroundAll {
 public:
  /// What is worked out before is kept where it goes with the tests.
  AroundAll() { setenv("TIDEWATER_CACHE", cache_.c_str(), 1); }
  ~AroundAll() {
    std::error_code ignored;
    std::filesystem::remove_all(cache_, ignored);
    const auto [allocations, waits] = tidewater::testing::trespasses();
    if (allocations + waits == 0) return;
    std::fprintf(stderr, "FAILED: inside render there were %d allocations and %d locks, sleeps or reads of files\n", allocations, waits);
    _exit(1);
  }
  AroundAll(const AroundAll&) = delete;
  AroundAll& operator=(const AroundAll&) = delete;

 private:
  std::filesystem::path cache_ = std::filesystem::temp_directory_path() / ("tidewater-test-cache-" + std::to_string(getpid()));
};

const AroundAll around_all;

}  // namespace
