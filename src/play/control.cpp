#include "play/control.hpp"

#include <algorithm>
#include <utility>

#include "play/options.hpp"

namespace tidewater {

Control::Control(ManagerOptions given)
    : options(checked(std::move(given))),
      noting(options),
      handing(options.journal_lines, options.rate),
      scopes(options.rate),
      agenda(scopes.times()),
      library(options),
      voices({options.rate, options.voices, options.playbacks, options.quality, options.layout == Layout::mono}, noting.link,
             noting.notebook, groups.levels(), groups.limits(), library.reader, agenda),
      listening(options, noting),
      driving(options.playbacks, listening, voices, noting),
      starter{options, noting, groups, scopes, agenda, library, voices, listening, driving} {
  library.undeclared.reserve(Library::most_undeclared);
  agenda.reserve(options.playbacks, Starter::most_put_off);
}

void Control::render(std::span<float> out) noexcept {
  if (!options.offline) return noting.link.render(out);
  const auto run = static_cast<std::size_t>(most_run * channels(options.layout));
  for (std::size_t at = 0; at < out.size(); at += run) {
    if (voices.streams().any()) voices.streams().fill();
    noting.link.render(out.subspan(at, std::min(run, out.size() - at)));
  }
}

bool Control::is_untouched() {
  return noting.totals.raised == 0 && noting.totals.refused == 0 && noting.link.requests() == 0 &&
         noting.link.mixer().clock() == MixFrame{} && library.loaded.banks().empty() && noting.notebook.notes().empty() &&
         listening.emitters.slots() == 0 && !handing.has_begun() && !library.reader.has_tasks() && !handles.given_by_id;
}

}  // namespace tidewater
