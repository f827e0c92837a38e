#pragma once
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"

namespace tidewater {

/// The shortest time that a circle of events may take.
inline constexpr Seconds least_around{0.02};

/// Events that raise each other in a circle: each leads back to itself.
struct EventCircle {
  std::vector<std::string> events;  ///< each once, in the order of the book
  FilePlace place;                  ///< of a response that raises one of them
  Seconds least;                    ///< the sum of the shortest delays on the shortest way around
  double growth = 0;                ///< mean number of raises that one raise causes, once around; above 1 the raises multiply
  bool called_off = false;          ///< an event of the book calls one of them off

  bool too_quick() const { return least < least_around; }
  bool grows() const { return growth > 1 + 1e-6; }
  /// It runs until something calls it off.
  bool goes_on() const { return growth > 1 - 1e-6; }
};

/// Returns the circles of a book. A raise with a `when` counts only for its traits; the worst combination of traits decides.
std::vector<EventCircle> circles_of(const Book& book);

/// Returns why a circle is not allowed. Empty if it is.
std::string what_is_wrong_with(const EventCircle& circle);

}  // namespace tidewater
