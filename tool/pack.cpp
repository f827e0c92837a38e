#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <chrono>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <system_error>
#include <utility>
#include <vector>

#include "columns.hpp"
#include "commands.hpp"
#include "print.hpp"
#include "progress.hpp"
#include "sizes.hpp"
#include "tidewater/error.hpp"
#include "watching.hpp"

namespace tidewater::tool {
namespace {

void print_json(const std::vector<PackedBank>& packed, std::uint64_t largest) {
  auto list = nlohmann::ordered_json::array();
  for (const PackedBank& bank : packed)
    list.push_back({{"file", bank.file},
                    {"bank", bank.name},
                    {"language", bank.language},
                    {"changed", bank.changed},
                    {"bytes", bank.bytes},
                    {"too-large", largest > 0 && bank.bytes > largest},
                    {"events", bank.events},
                    {"sounds", bank.sounds},
                    {"clips", bank.clips}});
  say("{}\n", list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
}

/// What of the book is in several banks, in none, or not spoken yet.
void print_remarks(const Book& book) {
  for (const SharedClip& shared : shared_clips(book)) say("  shared        {} is in {}\n", shared.clip, fmt::join(shared.banks, " and "));
  for (const std::string& event : left_out(book)) say("  left out      {}: no bank has it\n", event);
  for (const NotRecorded& missing : not_recorded(book))
    say("  not recorded  {}: '{}' speaks {} there\n", missing.file, missing.language, book.languages.front());
}

void print_report(const Book& book, const std::vector<PackedBank>& packed, bool is_patch, double seconds) {
  Table table({"", "bank", ">size", ">events", ">sounds", ">clips"});
  for (const PackedBank& bank : packed)
    table.row({bank.changed ? "packed" : "unchanged", bank.file, size_text(bank.bytes), fmt::format("{}", bank.events),
               fmt::format("{}", bank.sounds), fmt::format("{}", bank.clips)});
  say("{}", table.text());
  if (!is_patch) print_remarks(book);
  say("  in {:.2f} s; next: manager.load(tidewater::open_bank(\"{}\"))\n", seconds, packed.front().file);
}

}  // namespace

namespace {

namespace fs = std::filesystem;

/// All that goes into the banks, so that it can be seen to change.
struct Watched {
  std::vector<std::string> files;

  std::vector<std::pair<fs::file_time_type, std::uintmax_t>> stamps() const {
    std::vector<std::pair<fs::file_time_type, std::uintmax_t>> stamps;
    for (const std::string& file : files) {
      std::error_code ignored;
      const auto time = fs::last_write_time(file, ignored);
      stamps.emplace_back(time, fs::is_regular_file(file, ignored) ? fs::file_size(file, ignored) : 0);
    }
    return stamps;
  }
};

int pack_once(const PackCall& call, Watched& watched) {
  const ReadBook read = read_book(call.book);
  for (const Problem& problem : read.problems) complain("{}\n", to_text(problem));
  if (!read.problems.empty()) return bad_input;
  const auto began = std::chrono::steady_clock::now();
  Progress progress("Packing");
  PackOptions options{Hertz{static_cast<double>(call.rate)}, call.bank, call.target, call.language};
  options.patch_of = call.patch_of;
  options.patch_name = call.patch_name;
  options.priority = call.priority;
  options.progress = [&](const std::string&, std::size_t done, std::size_t all) { progress.show(done, all); };
  const std::vector<PackedBank> packed = tidewater::pack(read.book, call.output, options);
  progress.clear();
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
  if (packed.empty()) {
    say("nothing has changed since {}: there is nothing to patch\n", fmt::join(call.patch_of, ", "));
    return fine;
  }
  if (!call.depfile.empty()) write_depfile(call.depfile, call.depfile_of.empty() ? packed.front().file : call.depfile_of, packed);
  if (call.json)
    print_json(packed, call.largest);
  else
    print_report(read.book, packed, !call.patch_of.empty(), took.count());
  watched.files = {call.book};
  for (const PackedBank& bank : packed) watched.files.insert(watched.files.end(), bank.made_of.begin(), bank.made_of.end());
  int code = fine;
  for (const PackedBank& bank : packed) {
    if (call.largest == 0 || bank.bytes <= call.largest) continue;
    complain("{}: it has {}, more than the {} that were allowed; `tidewater weigh {}` says what takes them\n", bank.file,
             size_text(bank.bytes), size_text(call.largest), bank.file);
    code = bad_input;
  }
  return code;
}

}  // namespace

int pack(const PackCall& call) {
  Watched watched{{call.book}};
  if (!call.watch) return pack_once(call, watched);
  heed_interrupts();
  const auto again = [&] { pack_once(call, watched); };
  try {
    again();
  } catch (const Error& error) {
    complain("{}\n", error.what());  // it may be mended
  }
  say("watching {} and its clips; save one to pack it again, Ctrl-C ends\n", call.book);
  watch([&] { return watched.stamps(); }, again);
  return fine;
}

int verify(const VerifyCall& call) {
  int code = fine;
  for (const std::string& bank : call.banks) {
    const std::string problem = verify_bank(bank);
    if (problem.empty()) {
      say("  whole      {}\n", bank);
    } else {
      complain("{}\n", problem);
      code = bad_input;
    }
  }
  return code;
}

}  // namespace tidewater::tool
