#include <algorithm>
#include <utility>

#include "play/control.hpp"
#include "play/options.hpp"

namespace tidewater {

Control::Control(ManagerOptions given)
    : options(checked(std::move(given))),
      notebook(options.journal_lines),
      handing(options.journal_lines, options.rate),
      // Twice as many as may sound: those that were told to go still fade when their successors begin.
      link({2 * options.voices, options.rate.value, options.layout, options.limiter}, options.offline),
      voices({options.rate, options.voices, options.playbacks, options.quality, options.layout == Layout::mono}, link, notebook,
             groups.levels(), reader),
      world(options.emitters, options.playbacks, options.layout),
      drive(options.playbacks) {}

void Control::claim_due() {
  constexpr int most = 32;  // a game that asks meanwhile waits
  if (!voices.any_due()) return;
  link.count_request();
  for (int i = 0; i < most && voices.any_due(); ++i) {
    // What waited is heard from where it is now.
    if (LiveStart& start = voices.next_due(); !world.listening && start.in_world && world.earshot.has(start.ref()))
      voices.hear(start, world.earshot.heard_by(start.slot, world.listeners.ears()));
    if (LiveStart& start = voices.next_due(); !world.listening && start.follows) bend_now(start, start.in_world ? &start.from : nullptr);
    const auto due = voices.claim_due();
    if (!due) continue;
    const auto& [layer, candidate, verdict] = *due;
    const LiveStart& start = *layer->start;
    notebook.add(link.now().at,
                 DueNote{.outcome = outcome_of(candidate.fate),
                         .playback = start.id,
                         .sound = start.sound->design,
                         .layer = layer->design,
                         .starts = candidate.starts,
                         .voice = candidate.voice,
                         .why = notebook.keep(why(*start.sound->loaded, candidate, start.in_world ? &start.from : nullptr, verdict))});
    if (candidate.fate == Candidate::Fate::too_late) voices.leave(*layer, {}, Ending::outranked);
  }
}

void Control::render(std::span<float> out) noexcept {
  if (!options.offline) return link.render(out);
  const auto run = static_cast<std::size_t>(most_run * channels(options.layout));
  for (std::size_t at = 0; at < out.size(); at += run) {
    if (voices.streams().any()) voices.streams().fill();
    link.render(out.subspan(at, std::min(run, out.size() - at)));
  }
}

bool Control::is_untouched() {
  return totals.raised == 0 && totals.refused == 0 && link.requests() == 0 && link.mixer().clock() == 0 && loaded.banks().empty() &&
         notebook.notes().empty() && world.emitters.slots() == 0 && !handing.has_begun() && !reader.has_tasks() && !gave_handles;
}

void Control::finish() {
  if (totals.raised > 0) tell_if_not_updated();
  updates.finish([this](const noted::Updates& run) { notebook.add(run.first.value, run); });
  notebook.add(link.now().at, noted::End{});
}

}  // namespace tidewater
