#define CATCH_CONFIG_RUNNER
#include <unistd.h>

#include <catch2/catch.hpp>
#include <cstdio>
#include <cstdlib>
#include <filesystem>

#include "audio_thread.hpp"

int main(int argc, char* argv[]) {
  // What is worked out before is kept where it goes with the tests.
  const auto cache = std::filesystem::temp_directory_path() / ("tidewater-test-cache-" + std::to_string(getpid()));
  setenv("TIDEWATER_CACHE", cache.c_str(), 1);
  const int failed = Catch::Session().run(argc, argv);
  std::error_code ignored;
  std::filesystem::remove_all(cache, ignored);
  const auto [allocations, waits] = tidewater::testing::trespasses();
  if (allocations + waits == 0) return failed;
  std::fprintf(stderr, "FAILED: inside render there were %d allocations and %d locks, sleeps or reads of files\n", allocations, waits);
  return 1;
}
