#include <catch2/catch.hpp>
#include <set>
#include <sstream>

#include "process.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::EndsWith;

#ifdef __x86_64__
TEST_CASE("the harbour sounds as it did, bit for bit, and any instruction set decides alike") {
  const Folder folder;
  const Ran ran = run(folder, "GLIBC_TUNABLES=glibc.cpu.hwcaps=-AVX,-AVX2,-FMA,-FMA4 TIDEWATER_CACHE=" + folder.path("cache") +
                                  " " GOLDEN_PROGRAM " " PROJECT_FOLDER "/examples/harbour/book.toml");
  CHECK(ran.err.empty());
  // Changed on purpose alone, in a commit that does nothing else: run the program again, listen, and write down what it prints.
  CHECK_THAT(ran.out, EndsWith("SSSE3    decisions a20d2467e128aea4 samples 474d721e33a03224\n"));

  std::istringstream lines(ran.out);
  std::set<std::string> decisions;
  int sets = 0;
  for (std::string line; std::getline(lines, line);) {
    const auto at = line.find("crowded: ");
    if (at == std::string::npos) continue;
    ++sets;
    decisions.insert(line.substr(at));
  }
  INFO(ran.out);
  CHECK(sets > 0);
  CHECK(decisions.size() == 1);
}
#endif
