#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <chrono>
#include <filesystem>
#include <fstream>

#include "commands.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {
namespace {

/// As the makefiles of dependencies have it.
std::string escaped(const std::string& path) {
  std::string text;
  for (const char c : path) {
    if (c == ' ' || c == '#') text += '\\';
    if (c == '$') text += '$';
    text += c;
  }
  return text;
}

}  // namespace

int pack(const PackCall& call) {
  const ReadBook read = read_book(call.book);
  for (const Problem& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
  if (!read.problems.empty()) return bad_input;
  const auto began = std::chrono::steady_clock::now();
  const PackedBank packed = tidewater::pack(read.book, call.output, {Hertz{static_cast<double>(call.rate)}});
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
  if (!call.depfile.empty()) {
    std::string text = escaped(call.depfile_of.empty() ? packed.file : call.depfile_of) + ":";
    for (const std::string& file : packed.made_of) text += " \\\n  " + escaped(std::filesystem::absolute(file).string());
    std::ofstream out(call.depfile);
    if (!(out << text << '\n' << std::flush)) throw Error(fmt::format("{}: it cannot be written", call.depfile));
  }
  constexpr double mebi = 1 << 20;
  if (packed.changed)
    fmt::print("  packed     {}, in {:.2f} s\n", packed.file, took.count());
  else
    fmt::print("  unchanged  {} is this very bank already\n", packed.file);
  const auto counted = [](std::size_t count, const char* what) { return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s"); };
  fmt::print("  has        {}, {}, {}\n", counted(packed.events, "event"), counted(packed.sounds, "sound"), counted(packed.clips, "clip"));
  fmt::print("  size       {:.2f} MiB\n", static_cast<double>(packed.bytes) / mebi);
  fmt::print("  next       manager.load(tidewater::open_bank(\"{}\")), with the runtime library alone\n", packed.file);
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
