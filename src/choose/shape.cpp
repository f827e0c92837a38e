#include "choose/shape.hpp"

#include "base/exact.hpp"

namespace tidewater {
namespace {

// What the numbers of a start are for. A mean takes two.
constexpr std::uint64_t shared_value = 0;
constexpr std::uint64_t first_value = 2;
constexpr std::uint64_t cadence_value = first_value + 2 * draw_count;
constexpr std::uint64_t first_of_layers = 16, values_a_layer = 8;
static_assert(cadence_value + 2 <= first_of_layers);
enum LayerValue : std::uint64_t { chance, layer_gain, layer_pitch, layer_delay, layer_start };

double draw_one(const BankSound& design, const Draws& draws, std::uint64_t value) {
  // The mean of two is more often near the middle: a triangle.
  return design.towards_middle ? (draws.unit(value) + draws.unit(value + 1)) / 2 : draws.unit(value);
}

double draw_one(const BankSound& design, const Draws& draws, Draw draw) {
  const auto number = static_cast<std::size_t>(draw);
  return draw_one(design, draws, design.together[number] ? shared_value : first_value + 2 * number);
}

template <class T>
T within(const Range<T>& range, double at) {
  return T{range.low.value + (range.high.value - range.low.value) * at};
}

/// Evenly in decibels. Silence has none: a range that begins there is drawn evenly in how loud it sounds.
Decibels within(const Range<Decibels>& range, double at) {
  if (range.low == silence) return from_loudness_fraction(loudness_fraction(range.high) * at);
  return {range.low.value + (range.high.value - range.low.value) * at};
}

/// Evenly in octaves.
Hertz within(const Range<Hertz>& range, double at) {
  if (range.low.value <= 0) return range.low;
  return {range.low.value * exact::exp2(exact::log2(range.high.value / range.low.value) * at)};
}

/// Draws a value if the range is more than one value.
template <class T, class At>
T drawn(const Range<T>& range, At at) {
  return range.low == range.high ? range.low : within(range, at());
}

double unit(const Draws& draws, std::size_t layer, LayerValue value) {
  return draws.unit(first_of_layers + values_a_layer * layer + value);
}

}  // namespace

Seconds draw_cadence(const BankSound& design, const Draws& draws) { return within(design.cadence, draw_one(design, draws, cadence_value)); }

StartShape draw_shape(const BankSound& design, const Draws& draws) {
  const auto of = [&](const auto& range, Draw draw) { return drawn(range, [&] { return draw_one(design, draws, draw); }); };
  return {.pan = of(design.pan, Draw::pan),
          .low_pass = of(design.low_pass, Draw::low_pass),
          .gain = of(design.gain, Draw::gain),
          .pitch = of(design.pitch, Draw::pitch),
          .delay = of(design.delay, Draw::delay)};
}

bool draw_there(const BankLayer& layer, std::size_t number, const Draws& draws) {
  return layer.chance >= 1 || unit(draws, number, chance) < layer.chance;
}

Seconds draw_delay(const StartShape& sound, const BankLayer& layer, std::size_t number, const Draws& draws) {
  return sound.delay + drawn(layer.delay, [&] { return unit(draws, number, layer_delay); });
}

LayerShape draw_layer(const StartShape& sound, const BankLayer& layer, std::size_t number, const Draws& draws) {
  return {.gain = sound.gain + drawn(layer.gain, [&] { return unit(draws, number, layer_gain); }),
          .pitch = sound.pitch + drawn(layer.pitch, [&] { return unit(draws, number, layer_pitch); }),
          .start_at = drawn(layer.start_at, [&] { return unit(draws, number, layer_start); }),
          .anywhere = layer.start_anywhere ? unit(draws, number, layer_start) : 0};
}

}  // namespace tidewater
