#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>
#include <cstdio>

#include "audio_thread.hpp"

int main(int argc, char* argv[]) {
  const int failed = Catch::Session().run(argc, argv);
  const auto [allocations, waits] = tidewater::testing::trespasses();
  if (allocations + waits == 0) return failed;
  std::fprintf(stderr, "FAILED: inside render there were %d allocations and %d locks, sleeps or reads of files\n", allocations, waits);
  return 1;
}
