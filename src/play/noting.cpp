#include "play/noting.hpp"

namespace tidewater {

Noting::Noting(const ManagerOptions& given)
    : options(given),
      notebook(given.journal_lines),
      // Twice as many voices as may sound: those that were told to go still fade when their successors begin.
      link({2 * given.voices, given.rate.value, given.layout, given.limiter}, given.offline) {}

bool Noting::admits(std::size_t text) {
  if (!notebook.open() || notebook.has_room(text)) return true;
  notebook.refuse();
  ++totals.refused;
  return false;
}

Outcome Noting::decide(Outcome outcome, PlaybackId id, const Reason& why, Name event) {
  if (refused(outcome)) ++totals.refused;
  notebook.add(link.now().at,
               DecidedNote{.outcome = outcome, .playback = id, .raise = id.raise, .event = event.text(), .why = notebook.keep(why)});
  return outcome;
}

void Noting::tell_if_not_updated() {
  if (const auto without = watch.goes_without_updates(link.now().at, options.rate))
    tell({.code = Reason::Code::unupdated, .number = without->value});
}

bool Noting::begin_update() {
  const Mixer::Moment now = link.now();
  const bool anew = updates.update(now.at, now.lands - now.at, [this](const noted::Updates& run) { notebook.add({run.first.value}, run); });
  if (anew) watch.updates(now.at);
  return anew;
}

void Noting::finish() {
  if (totals.raised > 0) tell_if_not_updated();
  updates.finish([this](const noted::Updates& run) { notebook.add({run.first.value}, run); });
  notebook.add(link.now().at, noted::End{});
}

}  // namespace tidewater
