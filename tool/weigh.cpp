#include "tidewater/author/weigh.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "columns.hpp"
#include "commands.hpp"
#include "sizes.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater::tool {
namespace {

std::string table_of(const char* what, const std::vector<Weight>& weights, std::uint64_t all) {
  Table table({what, ">size", ">share", ">clips", ">length", ">ratio", "as"});
  for (const Weight& its : weights)
    table.row({its.name, size_text(its.bytes),
               fmt::format("{:.1f} %", 100.0 * static_cast<double>(its.bytes) / static_cast<double>(std::max<std::uint64_t>(all, 1))),
               fmt::format("{}", its.clips), fmt::format("{:.1f} s", its.length.value), fmt::format("{:.2f}", its.ratio), its.how});
  return table.text();
}

}  // namespace

int weigh(const WeighCall& call) {
  const Bank bank = call.bank.ends_with(".tidebank") ? open_bank(call.bank) : compile_book(call.bank);
  const Weights weights = tidewater::weigh(bank);
  fmt::print("{}: {} of clips; ratio 1 is 16 bits at {:.0f} Hz\n\n", call.bank, size_text(weights.bytes), bank.rate().value);
  fmt::print("{}\n{}", table_of("group", weights.groups, weights.bytes), table_of("sound", weights.sounds, weights.bytes));
  if (call.clips) fmt::print("\n{}", table_of("clip", weights.clips, weights.bytes));
  if (!weights.advice.empty()) fmt::print("\n");
  for (const WeightAdvice& advice : weights.advice)
    fmt::print("  could save {:>10}  {}: {}\n", size_text(advice.bytes), advice.clip, advice.text);
  return fine;
}

}  // namespace tidewater::tool
