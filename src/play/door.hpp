#pragma once
/// Makes the numbers of a game safe: every request passes here. A value that is not a number is refused, and a value out of range is
/// clamped, so that nothing inside has to check again.

#include <bitset>
#include <optional>

#include "notebook/reason.hpp"
#include "terms/whereabouts.hpp"
#include "tidewater/units.hpp"
#include "tidewater/world.hpp"

namespace tidewater {

class Door {
 public:
  /// Each makes its quantity safe in place. A level lies between silence and +24 dB, a bend within three octaves either
  /// way, a pan between -1 and 1, a time between zero and an hour, a filter's frequency between 10 Hz and 100 kHz, or is
  /// zero for none.
  void admit(Decibels& gain);
  void admit(Semitones& bend);
  void admit(Pan& pan);
  void admit(Seconds& its) {
    if (!(its.value >= 0 && its.value <= longest_time)) bring_in(its);
  }
  void admit(Hertz& frequency);
  void admit(std::optional<Seconds>& time) {
    if (time) admit(*time);
  }
  /// What is not a number is refused; places are brought to within 1,000 km of the origin, and to a 1024th of a metre, velocities to 10
  /// km/s.
  void admit(Place& place);
  void admit(std::optional<Place>& its) {
    if (its) admit(*its);
  }
  void admit(Vector& its) {
    const auto safe = [](float part) { return part >= -fastest && part <= fastest; };
    if (!safe(its.x) || !safe(its.y) || !safe(its.z)) bring_in(its);
  }
  /// A time scale lies between 0 and 4.
  void admit(TimeScale& scale);
  /// A share lies between 0 and 1.
  void admit(Share& share);
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
  enum Kind { gain, bend, pan, time, frequency, place, vector, number, time_scale, share, kinds };
  static constexpr double longest_time = 3600;
  static constexpr auto fastest = static_cast<float>(fastest_thing);
  void admit(double& value, double low, double high, Kind kind);
  void bring_in(Vector& vector);
  void bring_in(Seconds& length) { admit(length.value, 0, longest_time, time); }

  std::bitset<kinds> told_;
  std::optional<Reason> refusal_, notice_;
};

}  // namespace tidewater
