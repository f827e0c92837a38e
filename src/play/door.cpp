#include "play/door.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "terms/whereabouts.hpp"

namespace tidewater {
namespace {

struct Said {
  std::string_view what, unit, range;
};
constexpr std::array<Said, 10> said = {
    Said{"a level", "dB", "silence to +24 dB"},
    {"a bend", "st", "-36 st to 36 st"},
    {"a place", "", "-1, left, to 1, right"},
    {"a time", "s", "0 s to 3600 s"},
    {"a frequency", "Hz", "10 Hz to 100 kHz, or 0 Hz for none"},
    {"a coordinate in the world", "m", "-1000 km to 1000 km"},
    {"a velocity or direction", "", "-10000 to 10000 each way"},
    {"a gauge", "", "-1e9 to 1e9"},
    {"a time scale", "", "0, which stands still, to 4"},
    {"a player's level", "", "0, which is silence, to 1"},
};

}  // namespace

void Door::admit(double& value, double low, double high, Kind kind) {
  const Said& words = said[kind];
  if (std::isnan(value)) {
    refusal_ = Reason{.code = Reason::Code::not_a_number, .name = words.what, .more = words.range};
    return;
  }
  const double safe = std::clamp(value, low, high);
  if (safe == value) return;
  if (!told_[kind])
    notice_ =
        Reason{.code = Reason::Code::brought, .number = value, .other = safe, .name = words.what, .unit = words.unit, .more = words.range};
  told_[kind] = true;
  value = safe;
}

void Door::admit(Decibels& level) { admit(level.value, silence.value, 24, gain); }
void Door::admit(Semitones& shift) { admit(shift.value, -36, 36, bend); }
void Door::admit(Pan& side) { admit(side.value, -1, 1, pan); }
void Door::admit(Hertz& filter) {
  if (filter.value <= 0)
    filter = {};
  else
    admit(filter.value, 10, 100'000, frequency);
}

void Door::admit(TimeScale& scale) { admit(scale.value, 0, 4, time_scale); }
void Door::admit(Share& its) { admit(its.value, 0, 1, share); }
void Door::admit(double& value) { admit(value, -1e9, 1e9, number); }

void Door::admit(Place& its) {
  for (double* value : {&its.x, &its.y, &its.z}) admit(*value, -furthest_place, furthest_place, place);
  if (refusal_) return;
  Whereabouts kept;
  set_place(kept, its);
  its = place_of(kept);
}
void Door::bring_in(Vector& its) {
  for (float* part : {&its.x, &its.y, &its.z}) {
    auto value = static_cast<double>(*part);
    admit(value, -fastest_thing, fastest_thing, vector);
    *part = static_cast<float>(value);
  }
}

}  // namespace tidewater
