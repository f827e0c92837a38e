#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <vector>

#include "commands.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/replay.hpp"

namespace tidewater::tool {
namespace {

/// From files, or of a book: those that it names if the game loaded them, or else one of all.
std::vector<Bank> banks_of(const std::string& path, const JournalScript& script) {
  namespace fs = std::filesystem;
  if (path.ends_with(".tidebank")) return {open_bank(path)};
  if (fs::is_directory(path)) {
    std::vector<std::string> files;
    for (const auto& entry : fs::directory_iterator(path))
      if (entry.path().extension() == ".tidebank") files.push_back(entry.path().string());
    if (files.empty()) throw Error(fmt::format("{}: there is no bank in this folder; tidewater pack makes some of a book", path));
    std::sort(files.begin(), files.end());
    std::vector<Bank> banks;
    for (const std::string& file : files) banks.push_back(open_bank(file));
    return banks;
  }
  ReadBook read = read_book(path);
  const auto loads = [&](const std::string& name) {
    return std::any_of(script.requests.begin(), script.requests.end(), [&](const ScriptedRequest& its) {
      const auto* load = std::get_if<asked::Load>(&its.asked.request);
      return load != nullptr && load->bank == name;
    });
  };
  if (!read.problems.empty() || loads(read.book.name)) return {compile_book(path, {script.head.rate})};
  return compile_banks(read.book, {script.head.rate});
}

}  // namespace

int render(const RenderCall& call) {
  JournalScript script = read_journal(call.journal);
  if (call.seed) {
    script.head.seed = *call.seed;
    script.sums.clear();  // what is drawn is to be other
  }
  if (call.as_recorded && !script.head.machine.empty() && !mix_as(script.head.machine))
    throw Error(fmt::format("{}: was recorded on a machine of the kind {}, which this one cannot mix as; leave out --as-recorded",
                            call.journal, script.head.machine));
  const std::vector<Bank> banks = banks_of(call.book, script);

  Rendering rendering({call.output, call.journal_out, call.picture}, script.head.rate);
  const auto began = std::chrono::steady_clock::now();
  {
    ManagerOptions options = options_of(script);
    options.layout = Layout::stereo;  // of a wider one the front pair
    options.journal = rendering.sink();
    SoundManager manager(std::move(options));
    replay(script, banks, manager, [&](std::span<const float> block) { rendering.take(block); });
  }
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;

  const Report& report = rendering.report();
  say("{:.1f} s rendered in {:.2f} s, {:.0f} times as fast as real time\n{}", report.length().value, took.count(),
      report.length().value / took.count(), report.text());
  rendering.finish(std::filesystem::path(call.journal).filename().string());
  return fine;
}

}  // namespace tidewater::tool
