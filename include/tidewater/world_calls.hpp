#pragma once
/// The calls of a SoundManager about emitters, listeners and gauges.
///
/// Threads: any. Emitters and their gauges have a lock of their own, which no raise waits for. Listeners, and gauges that are set for every
/// sound, take the manager's short lock.

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>

#include "tidewater/export.hpp"
#include "tidewater/gauge.hpp"
#include "tidewater/name.hpp"
#include "tidewater/outcome.hpp"
#include "tidewater/world.hpp"

namespace TIDEWATER_API tidewater {

struct Control;

class WorldCalls {
 public:
  // Emitters: things in the world that sound.

  /// Makes an emitter. Returns none if there is no room, if a number of the design is not a number, if its parent is gone, or if it would
  /// be the sixteenth in a chain of parents.
  Emitter make_emitter(const EmitterDesign& design = {});
  /// Removes an emitter. At the next `update` its loops fade out and its other sounds finish where it was, unless the book says otherwise.
  /// Emitters that were attached to it stay where they are. A handle of it does nothing from then on, and the journal says so once.
  void remove_emitter(Emitter emitter);
  /// Sets places. They hold for raises at once, and for what plays from the next `update` on. Each list's n-th value is for the n-th
  /// emitter. Returns how many were set: emitters that are gone, and places that are not numbers or are beyond 1,000 km, are left out.
  std::size_t place(std::span<const Emitter> emitters, std::span<const Place> places);
  bool place(Emitter emitter, const Place& place) { return this->place({&emitter, 1}, {&place, 1}) == 1; }
  /// Sets velocities in metres a second, in the same way. A velocity bends pitches; it does not move the emitter.
  std::size_t set_velocity(std::span<const Emitter> emitters, std::span<const Vector> velocities);
  bool set_velocity(Emitter emitter, const Vector& velocity) { return set_velocity({&emitter, 1}, {&velocity, 1}) == 1; }
  /// Sets the directions that emitters face, in the same way.
  std::size_t set_facing(std::span<const Emitter> emitters, std::span<const Vector> facings);
  bool set_facing(Emitter emitter, const Vector& facing) { return set_facing({&emitter, 1}, {&facing, 1}) == 1; }
  /// Attaches `emitter` to `parent`: its place is then relative to the parent, along the parent's axes. No parent detaches it where it is.
  /// Returns false, and changes nothing, if one of them is gone, if it would be attached to itself, or if sixteen would form a chain.
  bool attach(Emitter emitter, Emitter parent);

  // Listeners.

  /// Sets up to eight listeners, numbered from 0, for a split screen. The nearest counts for each sound. Without a listener, sounds in the
  /// world are heard as on the screen. Returns `no_room` for another number.
  Outcome set_listener(std::uint32_t number, const Listener& listener);
  Outcome remove_listener(std::uint32_t number);

  // Gauges.

  /// Sets a gauge of the book for emitters, until they are set again or removed. It holds for raises at once, and for what plays from the
  /// next `update` on. An attached emitter without a value of its own has its parent's. Values are clamped to the gauge's range.
  /// Returns how many were set: none if no bank has the gauge, which the journal says once.
  std::size_t set_gauge(GaugeName gauge, std::span<const Emitter> emitters, std::span<const float> values);
  bool set_gauge(GaugeName gauge, Emitter emitter, float value) { return set_gauge(gauge, {&emitter, 1}, {&value, 1}) == 1; }
  /// Sets the gauge for every sound. An emitter with a value of its own keeps it. Setting the value that holds already is not noted.
  /// Returns `unknown_gauge`, and changes nothing, if no bank that was ever loaded has the gauge.
  Outcome set_gauge(GaugeName gauge, double value);

 protected:
  explicit WorldCalls(std::unique_ptr<Control> control);
  ~WorldCalls();
  WorldCalls(const WorldCalls&) = delete;
  WorldCalls& operator=(const WorldCalls&) = delete;

  std::unique_ptr<Control> control_;
};

}  // namespace tidewater
