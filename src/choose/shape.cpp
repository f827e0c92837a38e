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

}  // namespace

Seconds draw_cadence(const BankSound& design, const Draws& draws) { return within(design.cadence, draw_one(design, draws, cadence_value)); }

StartShape draw_shape(const BankSound& design, const Draws& draws) {
  const auto drawn = [&](const auto& range, auto value) { return range.low == range.high ? range.low : within(range, value()); };
  const auto of = [&](const auto& range, Draw draw) { return drawn(range, [&] { return draw_one(design, draws, draw); }); };
  StartShape shape;
  shape.pan = of(design.pan, Draw::pan);
  shape.low_pass = of(design.low_pass, Draw::low_pass);
  const Decibels gain = of(design.gain, Draw::gain);
  const Semitones pitch = of(design.pitch, Draw::pitch);
  const Seconds delay = of(design.delay, Draw::delay);
  for (std::size_t l = 0; l < design.layers.size(); ++l) {
    const BankLayer& layer = design.layers[l];
    const auto unit = [&](LayerValue value) { return draws.unit(first_of_layers + values_a_layer * l + value); };
    LayerShape& its = shape.layers[l];
    its.there = layer.chance >= 1 || unit(chance) < layer.chance;
    its.gain = gain + drawn(layer.gain, [&] { return unit(layer_gain); });
    its.pitch = pitch + drawn(layer.pitch, [&] { return unit(layer_pitch); });
    its.delay = delay + drawn(layer.delay, [&] { return unit(layer_delay); });
    its.start_at = drawn(layer.start_at, [&] { return unit(layer_start); });
    if (layer.start_anywhere) its.anywhere = unit(layer_start);
  }
  return shape;
}

}  // namespace tidewater
