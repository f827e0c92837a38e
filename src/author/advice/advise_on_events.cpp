#include <fmt/format.h>

#include "author/advice/advising.hpp"
#include "author/book/event_circles.hpp"

namespace tidewater {

void advise_on_events(Advising& advising) {
  for (const EventCircle& circle : circles_of(advising.book())) {
    if (!circle.goes_on() || circle.called_off) continue;
    const std::string& first = circle.events.front();
    advising.advise(
        circle.place, "endless-events", first, 1 / circle.least.value,
        fmt::format("once '{}' is raised, {} again and again, every {} or more: let an event call it off, with call-off = \"{}\"", first,
                    circle.events.size() == 1 ? "it raises itself" : "it and others raise each other", to_text(circle.least), first));
  }
}

}  // namespace tidewater
