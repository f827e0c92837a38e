#pragma once
/// Where numbers that come from outside are made safe: every request of a game passes here, and so do a manager's options.
///
/// What is not a number is refused. What is out of range is brought into it. Inside, nothing has to be asked again.

#include <bitset>
#include <optional>

#include "notebook/reason.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/units.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

/// What a manager and a bank may run at.
inline constexpr Range<Hertz> allowed_rates{{8000}, {192'000}};

/// Throws Error where a rate is not a number, or outside `allowed_rates`; `what` says whose it is.
void check_rate(Hertz rate, std::string_view what);

class Door {
 public:
  /// Each makes its quantity safe in place. A level lies between silence and +24 dB, a bend within three octaves either
  /// way, a pan between -1 and 1, a time between zero and an hour, a filter's frequency between 10 Hz and 100 kHz, or is
  /// zero for none.
  void admit(Decibels& gain);
  void admit(Semitones& bend);
  void admit(Pan& pan);
  void admit(Seconds& time);
  void admit(Hertz& frequency);
  /// What is not a number is refused; places are brought to within 1,000 km of the origin, and to a 1024th of a metre, velocities to 10
  /// km/s.
  void admit(Place& place);
  void admit(std::optional<Place>& place) {
    if (place) admit(*place);
  }
  void admit(Vector& vector) {
    const auto safe = [](float part) { return part >= -fastest && part <= fastest; };
    if (!safe(vector.x) || !safe(vector.y) || !safe(vector.z)) bring_in(vector);
  }
  /// Of a gauge: what is not a number is refused; its range is its own.
  void admit(double& number);

  /// Begins a request.
  void open() { refusal_.reset(), notice_.reset(); }
  /// Why the request is refused, if it is.
  const std::optional<Reason>& refusal() const { return refusal_; }
  /// What was brought into its range, in words, the first time for each kind of quantity.
  const std::optional<Reason>& notice() const { return notice_; }

  /// See base/state.hpp: what was told once is not told again.
  template <class State>
  void state(State& s) {
    s(told_);
  }

 private:
  enum Kind { gain, bend, pan, time, frequency, place, vector, number, kinds };
  static constexpr auto fastest = static_cast<float>(fastest_thing);
  void admit(double& value, double low, double high, Kind kind);
  void bring_in(Vector& vector);

  std::bitset<kinds> told_;
  std::optional<Reason> refusal_, notice_;
};

}  // namespace tidewater
