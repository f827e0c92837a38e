#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <chrono>

#include "commands.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

int pack(const PackCall& call) {
  const ReadBook read = read_book(call.book);
  for (const Problem& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
  if (!read.problems.empty()) return bad_input;
  const auto began = std::chrono::steady_clock::now();
  const PackedBank packed = tidewater::pack(read.book, call.output, {Hertz{static_cast<double>(call.rate)}});
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
  constexpr double mebi = 1 << 20;
  fmt::print("  packed     {}, in {:.2f} s\n", packed.file, took.count());
  const auto counted = [](std::size_t count, const char* what) { return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s"); };
  fmt::print("  has        {}, {}, {}\n", counted(packed.events, "event"), counted(packed.sounds, "sound"), counted(packed.clips, "clip"));
  fmt::print("  size       {:.2f} MiB\n", static_cast<double>(packed.bytes) / mebi);
  fmt::print("  next       manager.load(tidewater::open_bank(\"{}\")), with the runtime library alone\n", packed.file);
  return fine;
}

}  // namespace tidewater::tool
