#include <fmt/format.h>

#include <chrono>
#include <filesystem>

#include "commands.hpp"
#include "rendering.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/replay.hpp"

namespace tidewater::tool {

int render(const RenderCall& call) {
  JournalScript script = read_journal(call.journal);
  if (call.seed) {
    script.head.seed = *call.seed;
    script.sums.clear();  // what is drawn is to be other
  }
  if (call.as_recorded && !script.head.machine.empty() && !mix_as(script.head.machine))
    throw Error(fmt::format("{}: was recorded on a machine of the kind {}, which this one cannot mix as; leave out --as-recorded",
                            call.journal, script.head.machine));
  const Bank bank = call.book.ends_with(".tidebank") ? open_bank(call.book) : compile_book(call.book, {script.head.rate});

  Rendering rendering({call.output, call.journal_out, call.picture}, script.head.rate);
  const auto began = std::chrono::steady_clock::now();
  {
    ManagerOptions options = options_of(script);
    options.layout = Layout::stereo;  // of a wider one the front pair
    options.journal = rendering.sink();
    SoundManager manager(std::move(options));
    replay(script, bank, manager, [&](std::span<const float> block) { rendering.take(block); });
  }
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;

  const Report& report = rendering.report();
  fmt::print("{:.1f} s rendered in {:.2f} s, {:.0f} times as fast as real time\n{}", report.length().value, took.count(),
             report.length().value / took.count(), report.text());
  rendering.finish(std::filesystem::path(call.journal).filename().string());
  return fine;
}

}  // namespace tidewater::tool
