#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <vector>

#include "commands.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "session_banks.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

namespace tidewater::tool {
int render(const RenderCall& call) {
  JournalScript script = read_journal(call.journal);
  if (call.seed) {
    script.head.seed = *call.seed;
    script.sums.clear();  // what is drawn is to be other
  }
  if (!call.as_played) script = without_player(std::move(script));
  if (call.as_recorded && !script.head.machine.empty() && !mix_as(script.head.machine))
    throw Error(fmt::format("{}: was recorded on a machine of the kind {}, which this one cannot mix as; leave out --as-recorded",
                            call.journal, script.head.machine));
  const std::vector<Bank> banks = banks_of(call.book, std::span(&script, 1));

  Rendering rendering({call.output, call.journal_out, call.picture}, script.head.rate);
  const auto began = std::chrono::steady_clock::now();
  {
    ManagerOptions options = options_of(script);
    options.layout = Layout::stereo;  // of a wider one the front pair
    options.journal = rendering.sink();
    SoundManager manager(std::move(options));
    rendering.listen(manager);
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
