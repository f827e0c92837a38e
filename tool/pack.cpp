#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <chrono>
#include <string>
#include <vector>

#include "columns.hpp"
#include "commands.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {
int pack(const PackCall& call) {
  const ReadBook read = read_book(call.book);
  for (const Problem& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
  if (!read.problems.empty()) return bad_input;
  const auto began = std::chrono::steady_clock::now();
  const std::vector<PackedBank> packed = tidewater::pack(read.book, call.output, {Hertz{static_cast<double>(call.rate)}, call.bank});
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
  if (!call.depfile.empty()) write_depfile(call.depfile, call.depfile_of.empty() ? packed.front().file : call.depfile_of, packed);
  constexpr double mebi = 1 << 20;
  Table table({"", "bank", ">size", ">events", ">sounds", ">clips"});
  for (const PackedBank& bank : packed)
    table.row({bank.changed ? "packed" : "unchanged", bank.file, fmt::format("{:.2f} MiB", static_cast<double>(bank.bytes) / mebi),
               fmt::format("{}", bank.events), fmt::format("{}", bank.sounds), fmt::format("{}", bank.clips)});
  fmt::print("{}", table.text());
  for (const SharedClip& shared : shared_clips(read.book))
    fmt::print("  shared     {} is in {}\n", shared.clip, fmt::join(shared.banks, " and "));
  for (const std::string& event : left_out(read.book)) fmt::print("  left out   {}: no bank has it\n", event);
  fmt::print("  in {:.2f} s; next: manager.load(tidewater::open_bank(\"{}\"))\n", took.count(), packed.front().file);
  return fine;
}

int verify(const VerifyCall& call) {
  int code = fine;
  for (const std::string& bank : call.banks) {
    const std::string problem = verify_bank(bank);
    if (problem.empty()) {
      fmt::print("  whole      {}\n", bank);
    } else {
      fmt::print(stderr, "{}\n", problem);
      code = bad_input;
    }
  }
  return code;
}

}  // namespace tidewater::tool
