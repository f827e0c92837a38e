#include <catch2/catch.hpp>

#include "process.hpp"

using namespace tidewater;
using namespace tidewater::testing;

#ifdef __x86_64__
TEST_CASE("the harbour sounds as it did: its decisions and its samples, bit for bit") {
  // Changed on purpose alone, in a commit that does nothing else: run the program again, listen, and write down what it prints.
  const Folder folder;
  const Ran ran = run(folder, "GLIBC_TUNABLES=glibc.cpu.hwcaps=-AVX,-AVX2,-FMA,-FMA4 TIDEWATER_CACHE=" + folder.path("cache") +
                                  " " GOLDEN_PROGRAM " " PROJECT_FOLDER "/examples/harbour/book.toml");
  CHECK(ran.err.empty());
  CHECK(ran.out == "SSSE3 decisions edac5c5975103f7d samples 7bf44eac1248ecfc\n");
}
#endif
