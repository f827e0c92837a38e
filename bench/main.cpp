/// Runs every benchmark and prints, for each, the yardstick, our figure and their ratio from the same run.
///     tidewater_bench [--benchmark_filter=REGEX]
///     tidewater_bench NAME          only one of its tables: costs, calls, clean, growth, books, banks, world, scopes, music, mix, turn,
///     names or desk

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <string_view>
#include <utility>
#include <vector>

#include "banks.hpp"
#include "books.hpp"
#include "calls.hpp"
#include "clean.hpp"
#include "costs.hpp"
#include "desk.hpp"
#include "growth.hpp"
#include "mix.hpp"
#include "music.hpp"
#include "names.hpp"
#include "scopes.hpp"
#include "table.hpp"
#include "turn.hpp"
#include "world.hpp"

namespace {

struct Row {
  double yardstick = 0;
  double ours = 0;
};

/// Nanoseconds a frame, or a call where nothing counts frames.
double figure(const benchmark::BenchmarkReporter::Run& run) {
  const auto frames = run.counters.find("frames");
  if (frames != run.counters.end() && frames->second.value > 0) return 1e9 / frames->second.value;
  return run.GetAdjustedCPUTime();
}

class Table : public benchmark::BenchmarkReporter {
 public:
  bool ReportContext(const Context&) override { return true; }
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& run : runs) {
      if (run.run_type != Run::RT_Iteration) continue;
      const std::string name = run.run_name.function_name;
      const auto slash = name.rfind('/');
      const std::string what = name.substr(0, slash);
      if (!rows_.contains(what)) order_.push_back(what);
      Row& row = rows_[what];
      double& cell = name.substr(slash + 1) == "yardstick" ? row.yardstick : row.ours;
      cell = cell == 0 ? figure(run) : std::min(cell, figure(run));
      fmt::print(stderr, ".");
    }
  }
  void Finalize() override {
    fmt::print(stderr, "\n");
    fmt::print("| {:<62} | {:>12} | {:>12} | {:>6} |\n| {:-<62} | {:->12} | {:->12} | {:->6} |\n", "what", "yardstick", "ours", "ratio", "",
               ":", ":", ":");
    for (const auto& what : order_) {
      const Row& row = rows_[what];
      const auto cell = [](double ns) { return ns == 0 ? std::string("-") : fmt::format("{:.2f} ns", ns); };
      fmt::print("| {:<62} | {:>12} | {:>12} | {:>6} |\n", what, cell(row.yardstick), cell(row.ours),
                 row.yardstick == 0 || row.ours == 0 ? "-" : fmt::format("{:.2f}", row.ours / row.yardstick));
    }
  }

 private:
  std::vector<std::string> order_;
  std::map<std::string, Row> rows_;
};

namespace bench = tidewater::bench;
constexpr std::pair<std::string_view, void (*)()> tables[] = {
    {"costs", bench::print_costs_table},   {"calls", bench::print_calls_table},   {"clean", bench::print_clean_table},
    {"growth", bench::print_growth_table}, {"books", bench::print_books_table},   {"banks", bench::print_banks_table},
    {"world", bench::print_world_table},   {"scopes", bench::print_scopes_table}, {"music", bench::print_music_table},
    {"mix", bench::print_mix_table},       {"turn", bench::print_turn_table},     {"names", bench::print_names_table},
    {"desk", bench::print_desk_table}};

}  // namespace

int main(int argc, char** argv) {
  for (const auto& [name, print] : tables)
    if (argc == 2 && name == argv[1]) {
      print();
      return 0;
    }
  if (argc == 3 && std::string_view(argv[1]) == "resident") {
    tidewater::bench::print_resident(argv[2]);
    return 0;
  }
  std::vector<char*> arguments(argv, argv + argc);
  std::string repetitions = "--benchmark_repetitions=7";
  std::string interleaved = "--benchmark_enable_random_interleaving=true";
  std::string least = "--benchmark_min_time=0.1";
  for (std::string* extra : {&repetitions, &interleaved, &least}) arguments.insert(arguments.begin() + 1, extra->data());
  int count = static_cast<int>(arguments.size());
  benchmark::Initialize(&count, arguments.data());
  Table table;
  benchmark::RunSpecifiedBenchmarks(&table);
  if (argc > 1) return 0;  // a filter asks for some figures only
  for (const auto& [name, print] : tables) print();
  return 0;
}
