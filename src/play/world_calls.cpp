#include "tidewater/world_calls.hpp"

#include <algorithm>
#include <mutex>

#include "play/asking.hpp"
#include "play/control.hpp"

namespace tidewater {
namespace {

/// Of what was told of emitters: what could not be taken is told in the journal.
std::size_t taken(Control& control, std::size_t emitters, std::size_t values, std::size_t count) {
  if (const std::size_t asked = std::min(emitters, values); count < asked) control.listening.stale.fetch_add(asked - count);
  return count;
}

}  // namespace

WorldCalls::WorldCalls(std::unique_ptr<Control> control) : control_(std::move(control)) {}
WorldCalls::~WorldCalls() = default;

Emitter WorldCalls::make_emitter(const EmitterDesign& design) {
  const Emitter made = control_->listening.emitters.make(design);
  if (!made) (control_->listening.emitters.is_full() ? control_->listening.without_room : control_->listening.stale).fetch_add(1);
  return made;
}

void WorldCalls::remove_emitter(Emitter emitter) {
  if (!control_->listening.emitters.remove(emitter)) control_->listening.stale.fetch_add(1);
}

std::size_t WorldCalls::place(std::span<const Emitter> emitters, std::span<const Place> places) {
  return taken(*control_, emitters.size(), places.size(), control_->listening.emitters.place(emitters, places));
}
std::size_t WorldCalls::set_velocity(std::span<const Emitter> emitters, std::span<const Vector> velocities) {
  return taken(*control_, emitters.size(), velocities.size(), control_->listening.emitters.set_velocities(emitters, velocities));
}
std::size_t WorldCalls::set_facing(std::span<const Emitter> emitters, std::span<const Vector> facings) {
  return taken(*control_, emitters.size(), facings.size(), control_->listening.emitters.face(emitters, facings));
}

std::size_t WorldCalls::set_gauge(GaugeName gauge, std::span<const Emitter> emitters, std::span<const float> values) {
  const std::size_t count = control_->listening.emitters.set_gauge(gauge, emitters, values);
  if (count == 0 && !control_->listening.emitters.knows_gauge(gauge)) {
    const std::lock_guard lock(control_->mutex);
    control_->driving.tell_of_unknown(gauge);
    return 0;
  }
  return taken(*control_, emitters.size(), values.size(), count);
}

Outcome WorldCalls::set_gauge(GaugeName gauge, double value) {
  {
    // Games say it every frame: what says nothing new is not noted.
    const std::lock_guard lock(control_->mutex);
    const std::uint32_t known = control_->driving.gauges.names().find(gauge);
    if (known != Numbers::none && value - value == 0 &&
        HeldTo<double>(control_->driving.gauges.design(known))(value) == control_->driving.gauges.aim(known))
      return Outcome::done;
  }
  return ask(*control_, asked::SetGauge{gauge, value});
}

bool WorldCalls::attach(Emitter emitter, Emitter parent) {
  const bool hangs = control_->listening.emitters.attach(emitter, parent);
  if (!hangs) control_->listening.stale.fetch_add(1);
  return hangs;
}

Outcome WorldCalls::set_listener(std::uint32_t number, const Listener& its) {
  return ask(*control_, asked::SetListener{number, its.place, its.facing, its.up, its.velocity, its.gain});
}

Outcome WorldCalls::remove_listener(std::uint32_t number) { return ask(*control_, asked::RemoveListener{number}); }

}  // namespace tidewater
