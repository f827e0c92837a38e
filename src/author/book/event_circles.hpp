#pragma once
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"

namespace tidewater {

/// The least time around a circle of events.
inline constexpr Seconds least_around{0.02};

/// Events of a book of which each leads to all others, and to itself, by responses that raise events.
struct EventCircle {
  std::vector<std::string> events;  ///< each once, in the order of the book
  FilePlace place;                  ///< of a response that raises one of them
  Seconds least;                    ///< the shortest way around, by the shortest delays
  double growth = 0;                ///< how many raises one raise leads to on average, once around; above 1 they become ever more
  bool called_off = false;          ///< an event of the book calls one of them off

  bool too_quick() const { return least < least_around; }
  bool grows() const { return growth > 1 + 1e-6; }
  /// It runs until something calls it off.
  bool goes_on() const { return growth > 1 - 1e-6; }
};

/// The circles in a book. Responses with a `when` count for the traits that they ask for; of all traits the worst count.
std::vector<EventCircle> circles_of(const Book& book);

/// Why a circle cannot be; empty if it can.
std::string what_is_wrong_with(const EventCircle& circle);

}  // namespace tidewater
