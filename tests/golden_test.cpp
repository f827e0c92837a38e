#include <catch2/catch.hpp>
#include <fstream>
#include <set>
#include <sstream>

#include "process.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::EndsWith;

namespace {

std::vector<std::string> seconds_in(std::istream& text) {
  std::vector<std::string> lines;
  for (std::string line; std::getline(text, line);)
    if (line.rfind("second ", 0) == 0) lines.push_back(line);
  return lines;
}

/// The first second in which the harbour is not as it was, and the first of choose, voices, play and samples that differs there.
std::string first_difference(const std::string& out) {
  std::istringstream now_text(out);
  std::ifstream then_text(PROJECT_FOLDER "/tests/golden_seconds.txt");
  const auto now = seconds_in(now_text), then = seconds_in(then_text);
  if (now.size() != then.size()) return "it has " + std::to_string(now.size()) + " seconds, and had " + std::to_string(then.size());
  for (std::size_t s = 0; s < now.size(); ++s) {
    std::istringstream a(now[s]), b(then[s]);
    std::string name, value, other_name, other_value;
    while (a >> name >> value && b >> other_name >> other_value)
      if (value != other_value) return "second " + std::to_string(s + 1) + ": " + name + " differs";
  }
  return {};
}

}  // namespace

#ifdef __x86_64__
TEST_CASE("the harbour sounds as it did, bit for bit, and any instruction set decides alike") {
  const Folder folder;
  const Ran ran = run(folder, "GLIBC_TUNABLES=glibc.cpu.hwcaps=-AVX,-AVX2,-FMA,-FMA4 TIDEWATER_CACHE=" + folder.path("cache") +
                                  " " GOLDEN_PROGRAM " " PROJECT_FOLDER "/examples/harbour/book.toml");
  CHECK(ran.err.empty());
  // Changed on purpose alone, in a commit that does nothing else: run the program again, listen, and write down what it prints. The lines
  // of the seconds are tests/golden_seconds.txt.
  CHECK(first_difference(ran.out) == "");
  CHECK_THAT(ran.out, EndsWith("SSSE3    decisions 0dbf6b7ff966d7b7 samples 692cc684cde2543b\n"));

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
