#include "tidewater/author/gather.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "commands.hpp"
#include "print.hpp"
#include "progress.hpp"

namespace tidewater::tool {

int gather(const GatherCall& call) {
  Progress progress("Reading clips");
  const Gathered gathered = tidewater::gather(call.folder, call.book, [&](std::size_t done, std::size_t all) { progress.show(done, all); });
  progress.clear();
  for (const auto& file : gathered.skipped) complain("skipped {}\n", file);
  for (const auto& note : gathered.notes) say("note: {}\n", note);
  if (gathered.added.empty()) {
    say("{}: nothing new in {}\n", call.book, call.folder);
    return fine;
  }
  if (call.dry_run) {
    std::istringstream lines(gathered.added);
    say("--- {0}\n+++ {0}\n@@ -{1},0 +{2},{3} @@\n", call.book, gathered.after_line, gathered.after_line + 1,
        std::count(gathered.added.begin(), gathered.added.end(), '\n'));
    for (std::string line; std::getline(lines, line);) say("+{}\n", line);
    return fine;
  }
  take_in(gathered, call.book);
  say("{}: {} clip{} in {} new sound{}, each with an event of its name\n", call.book, gathered.clips, gathered.clips == 1 ? "" : "s",
      gathered.sounds.size(), gathered.sounds.size() == 1 ? "" : "s");
  say("  next       tidewater audition {} {}\n", call.book, gathered.sounds.front());
  return fine;
}

}  // namespace tidewater::tool
