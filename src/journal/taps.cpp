#include "tidewater/taps.hpp"

#include <memory>
#include <string>
#include <utility>

#include "mix/mix_tap.hpp"
#include "play/control.hpp"

namespace tidewater {

/// The manager's door, for those who listen to a mix from the inside.
struct Tapped {
  static Control& control_of(SoundManager& manager) { return *manager.control_; }
};

namespace {

double amplitude_of(const Groups::Group& group) { return amplitude(group.own_gain() + group.mood.gain); }

}  // namespace

void tap(SoundManager& manager, Taps taps) {
  Control& control = Tapped::control_of(manager);
  const auto span = [](const float* samples, int frames) { return std::span<const float>(samples, static_cast<std::size_t>(frames)); };
  MixTap::Take voices, groups;
  if (taps.sound)
    voices = [&control, span, take = std::move(taps.sound)](std::uint32_t voice, MixFrame from, const float* left, const float* right,
                                                            int frames) {
      const LiveLayer* layer = control.voices.layer_on(voice);
      if (layer == nullptr) return;
      const PlayedSound& sound = *layer->start->sound;
      take({sound.design->name,
            control.groups.names().name(sound.loaded->group),
            layer->start->id,
            {from.value},
            span(left, frames),
            span(right, frames)});
    };
  if (taps.group)
    groups = [&control, span, take = std::move(taps.group)](std::uint32_t number, MixFrame from, const float* left, const float* right,
                                                            int frames) {
      const Groups& known = control.groups;
      if (number >= known.names().size()) return;
      double above = 1;
      for (std::uint32_t at = known[number].parent; number > 0 && at > 0; at = known[at].parent) above *= amplitude_of(known[at]);
      take({known.names().name(number),
            number == 0 ? std::string_view() : std::string_view(known.names().name(known[number].parent)),
            above,
            amplitude_of(known[number]),
            {static_cast<double>(control.noting.link.mixer().ducked_by(number))},
            {from.value},
            span(left, frames),
            span(right, frames)});
    };
  control.noting.link.mixer().listen(std::make_unique<MixTap>(std::move(voices), std::move(groups)));
}

}  // namespace tidewater
