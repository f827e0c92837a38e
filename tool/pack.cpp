#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <chrono>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "columns.hpp"
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

/// What build tools ask: of what it was made.
void write_depfile(const PackCall& call, const std::vector<PackedBank>& packed) {
  std::set<std::string> made_of;
  for (const PackedBank& bank : packed) made_of.insert(bank.made_of.begin(), bank.made_of.end());
  std::string text = escaped(call.depfile_of.empty() ? packed.front().file : call.depfile_of) + ":";
  for (const std::string& file : made_of) text += " \\\n  " + escaped(std::filesystem::absolute(file).string());
  std::ofstream out(call.depfile);
  if (!(out << text << '\n' << std::flush)) throw Error(fmt::format("{}: it cannot be written", call.depfile));
}

/// Files that are in more than one bank.
void tell_shared(const std::vector<PackedBank>& packed) {
  std::map<std::string, std::vector<std::string>> banks_of;
  for (const PackedBank& bank : packed)
    for (const std::string& file : bank.made_of)
      if (std::filesystem::path(file).extension() != ".toml" && std::filesystem::is_regular_file(file)) banks_of[file].push_back(bank.name);
  for (const auto& [file, banks] : banks_of)
    if (banks.size() > 1)
      fmt::print("  shared     {} is in {}\n", std::filesystem::path(file).filename().string(), fmt::join(banks, " and "));
}

}  // namespace

int pack(const PackCall& call) {
  const ReadBook read = read_book(call.book);
  for (const Problem& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
  if (!read.problems.empty()) return bad_input;
  const auto began = std::chrono::steady_clock::now();
  const std::vector<PackedBank> packed = tidewater::pack(read.book, call.output, {Hertz{static_cast<double>(call.rate)}, call.bank});
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
  if (!call.depfile.empty()) write_depfile(call, packed);
  constexpr double mebi = 1 << 20;
  Table table({"", "bank", ">size", ">events", ">sounds", ">clips"});
  for (const PackedBank& bank : packed)
    table.row({bank.changed ? "packed" : "unchanged", bank.file, fmt::format("{:.2f} MiB", static_cast<double>(bank.bytes) / mebi),
               fmt::format("{}", bank.events), fmt::format("{}", bank.sounds), fmt::format("{}", bank.clips)});
  fmt::print("{}", table.text());
  tell_shared(packed);
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
