/// Writing the names of a book, and compiling them.

#include "names.hpp"

#include <fmt/format.h>
#include <sys/resource.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater::bench {
namespace {

constexpr int names_runs = 9, names_events = 2000, names_traits = 20, names_values = 12;

std::string book_of_names() {
  std::string text = "[book]\nname = \"big\"\n[sounds.step]\nsketch = { like = \"step\" }\n";
  for (int trait = 0; trait < names_traits; ++trait) {
    text += fmt::format("[traits.trait-{}]\nvalues = [", trait);
    for (int value = 0; value < names_values; ++value) text += fmt::format("\"value-{}\", ", value);
    text += "]\n";
  }
  for (int event = 0; event < names_events; ++event) text += fmt::format("[events.\"ferry.gangway.moved-{}\"]\nstart = \"step\"\n", event);
  return text;
}

void run_command(const std::string& command) {
  if (std::system(command.c_str()) != 0) throw Error("it failed: " + command);
}

double seconds_since(std::chrono::steady_clock::time_point began) {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
}

/// CPU seconds of the processes that have ended.
double cpu_of_children() {
  rusage used{};
  getrusage(RUSAGE_CHILDREN, &used);
  return static_cast<double>(used.ru_utime.tv_sec) + 1e-6 * static_cast<double>(used.ru_utime.tv_usec);
}

}  // namespace

void print_names_table() {
  const auto folder = std::filesystem::temp_directory_path() / "tidewater-names";
  std::filesystem::create_directories(folder);
  const auto write = [&](const char* name, const std::string& text) { std::ofstream(folder / name) << text; };
  const std::string book = book_of_names();
  write("book.toml", book);
  write("with.cpp",
        "#include \"names.hpp\"\n#include \"tidewater/manager.hpp\"\nvoid f(tidewater::SoundManager& m) { "
        "m.raise(big::event::ferry_gangway_moved_7); }\n");
  write("without.cpp", "#include \"tidewater/manager.hpp\"\nvoid f(tidewater::SoundManager& m) { m.raise(\"x\"); }\n");
  const std::string header = (folder / "names.hpp").string();
  const auto compile = [&](const char* file) {
    const double before = cpu_of_children();
    run_command(fmt::format("c++ -std=c++20 -O2 -I" INCLUDE_FOLDER " -I{0} -c {0}/{1} -o {0}/{1}.o", folder.string(), file));
    return cpu_of_children() - before;
  };
  double written = 1e9, read = 1e9, with = 1e9, without = 1e9;
  for (int run = 0; run < names_runs; ++run) {
    std::filesystem::remove(header);
    const auto began = std::chrono::steady_clock::now();
    run_command(TIDEWATER_PROGRAM " names " + (folder / "book.toml").string() + " --output " + header + " >/dev/null");
    written = std::min(written, seconds_since(began));
    const auto reads = std::chrono::steady_clock::now();
    if (parse_book(book, "book.toml").book.events.size() != names_events) throw Error("the book was not read whole");
    read = std::min(read, seconds_since(reads));
    with = std::min(with, compile("with.cpp"));
    without = std::min(without, compile("without.cpp"));
  }
  std::filesystem::remove_all(folder);
  fmt::print("Names of a book with {} events and {} values of traits, the least of {} runs:\n\n", names_events, names_traits * names_values,
             names_runs);
  fmt::print("| what | yardstick | ours | reach |\n| --- | ---: | ---: | ---: |\n");
  fmt::print("| `tidewater names`; yardstick: the book is parsed | {:.3f} s | {:.3f} s | 0.2 s |\n", read, written);
  fmt::print("| CPU that the header adds to a compilation; yardstick: without it | {:.2f} s | {:.2f} s | 0.3 s |\n", without,
             with - without);
}

}  // namespace tidewater::bench
