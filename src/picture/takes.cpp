#include "tidewater/picture/takes.hpp"

#include <fmt/format.h>
#include <kiss_fftr.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>

#include "picture/palette.hpp"

namespace tidewater {
namespace {

constexpr double plot_left = 16;
constexpr double plot_top = 66;
constexpr double between = 18;
constexpr double bottom = 34;
constexpr double scale_width = 44;
constexpr std::size_t most_takes = 12;
constexpr int window = 1024;
constexpr double floor_db = -90;
constexpr double lowest_drawn = 60;
constexpr double tail_db = 1e-4;  // what is below -80 dB at the end is not drawn

struct TakePanel {
  double x, y, width, height;
};

std::vector<float> mono(const HeardTake& take) {
  std::vector<float> out(take.samples.size() / 2);
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = (take.samples[2 * i] + take.samples[2 * i + 1]) / 2;
  return out;
}

std::size_t heard_length(const std::vector<float>& samples) {
  std::size_t end = samples.size();
  while (end > 0 && std::abs(static_cast<double>(samples[end - 1])) < tail_db) --end;
  return end;
}

void draw_waveform(Canvas& canvas, const TakePanel& field, const std::vector<float>& samples, double frames_wide, float peak) {
  const double middle = field.y + field.height / 2;
  canvas.line(field.x, middle, field.x + field.width, middle, grid, 0.8);
  cairo_t* cairo = canvas.cairo();
  const auto columns = static_cast<int>(field.width);
  for (int column = 0; column < columns; ++column) {
    const auto first = static_cast<std::size_t>(frames_wide * column / columns);
    const auto last = std::min(samples.size(), static_cast<std::size_t>(frames_wide * (column + 1) / columns) + 1);
    if (first >= last) break;
    const auto [low, high] =
        std::minmax_element(samples.begin() + static_cast<std::ptrdiff_t>(first), samples.begin() + static_cast<std::ptrdiff_t>(last));
    const double scale = field.height / 2 / static_cast<double>(peak);
    cairo_move_to(cairo, field.x + column + 0.5, middle - static_cast<double>(*high) * scale - 0.4);
    cairo_line_to(cairo, field.x + column + 0.5, middle - static_cast<double>(*low) * scale + 0.4);
  }
  canvas.stroke(water, 1);
}

/// From paper through water to ink: louder is darker, so that it prints.
Colour shade(double level) {
  const double x = std::clamp(level, 0.0, 1.0);
  const auto blend = [](const Colour& a, const Colour& b, double at) {
    return Colour{a.red + (b.red - a.red) * at, a.green + (b.green - a.green) * at, a.blue + (b.blue - a.blue) * at};
  };
  return x < 0.5 ? blend(band, water, x * 2) : blend(water, ink, x * 2 - 1);
}

void draw_spectrogram(Canvas& canvas, const TakePanel& field, const std::vector<float>& samples, double frames_wide, Hertz rate) {
  canvas.rectangle(field.x, field.y, field.width, field.height, band);
  const std::unique_ptr<kiss_fftr_state, void (*)(void*)> plan(kiss_fftr_alloc(window, 0, nullptr, nullptr), kiss_fftr_free);
  std::vector<kiss_fft_scalar> piece(window);
  std::vector<kiss_fft_cpx> spectrum(window / 2 + 1);
  constexpr double cell = 2;
  const double octaves = std::log2(rate.value / 2 / lowest_drawn);
  for (double x = 0; x < field.width; x += cell) {
    const auto middle = static_cast<std::ptrdiff_t>(frames_wide * x / field.width);
    if (middle >= static_cast<std::ptrdiff_t>(samples.size())) break;
    for (int i = 0; i < window; ++i) {
      const std::ptrdiff_t at = middle - window / 2 + i;
      const double hann = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * i / window);
      piece[static_cast<std::size_t>(i)] = at >= 0 && at < static_cast<std::ptrdiff_t>(samples.size())
                                               ? static_cast<float>(hann) * samples[static_cast<std::size_t>(at)]
                                               : 0.0F;
    }
    kiss_fftr(plan.get(), piece.data(), spectrum.data());
    for (double y = 0; y < field.height; y += cell) {
      const double hertz = lowest_drawn * std::exp2(octaves * (1 - (y + cell / 2) / field.height));
      const auto bin = std::min<std::size_t>(window / 2, static_cast<std::size_t>(hertz / rate.value * window));
      const double power =
          static_cast<double>(spectrum[bin].r * spectrum[bin].r + spectrum[bin].i * spectrum[bin].i) / (window / 4.0) / (window / 4.0);
      const double level = 10 * std::log10(power + 1e-12);
      if (level > floor_db) canvas.rectangle(field.x + x, field.y + y, cell, cell, shade((level - floor_db) / -floor_db));
    }
  }
}

void draw_frequencies(Canvas& canvas, const TakePanel& field, Hertz rate) {
  const double octaves = std::log2(rate.value / 2 / lowest_drawn);
  for (const auto& [hertz, name] : {std::pair{100.0, "100 Hz"}, {1000.0, "1 kHz"}, {10000.0, "10 kHz"}}) {
    const double y = field.y + field.height * (1 - std::log2(hertz / lowest_drawn) / octaves);
    // Beside it: a loud clip is as dark as ink.
    canvas.line(field.x + field.width, y, field.x + field.width + 4, y, faint_ink, 0.8);
    canvas.text(field.x + field.width + 7, y, name, {9, ink});
  }
}

void draw_time(Canvas& canvas, const TakePanel& field, double seconds_wide, double y) {
  double step = 0.01;
  for (const double candidate : {0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0})
    if (seconds_wide / step > 6) step = candidate;
  for (double at = 0; at <= seconds_wide * 0.96; at += step) {
    const double x = field.x + field.width * at / seconds_wide;
    canvas.line(x, y, x, y + 4, faint_ink, 0.8);
    canvas.text(x, y + 12, step < 0.1 ? fmt::format("{:.0f} ms", at * 1000) : fmt::format("{:g} s", at),
                {10, faint_ink, false, at == 0 ? Canvas::Align::left : Canvas::Align::centre});
  }
}

}  // namespace

std::size_t draw_takes(const std::vector<HeardTake>& takes, Hertz rate, const std::string& path, const std::string& title,
                       PictureSize size) {
  std::vector<std::pair<const HeardTake*, std::vector<float>>> drawn;
  std::size_t longest = 1;
  float peak = 1e-6F;
  std::size_t heard = 0;
  for (const auto& take : takes) {
    heard += take.samples.empty() ? 0 : 1;
    if (take.samples.empty() || drawn.size() == most_takes) continue;
    drawn.emplace_back(&take, mono(take));
    auto& samples = drawn.back().second;
    samples.resize(heard_length(samples));
    longest = std::max(longest, samples.size());
    for (const float x : samples) peak = std::max(peak, std::abs(x));
  }
  const double width = static_cast<double>(size.width);
  const double height = static_cast<double>(size.height);
  Canvas canvas(path, width, height, paper);
  canvas.text(plot_left, 22, title, {17, ink, true});
  if (heard > drawn.size())
    canvas.text(width - plot_left, 22, fmt::format("the first {} of {} takes", drawn.size(), heard),
                {12, ink, false, Canvas::Align::right});
  const double field_width = (width - 2 * plot_left - between - scale_width) / 2;
  canvas.text(plot_left, 46, fmt::format("waveforms, full height is {:.1f} dB", decibels(static_cast<double>(peak)).value),
              {11, ink, true});
  canvas.text(plot_left + field_width + between, 46,
              fmt::format("spectrograms, {:.0f} Hz to {:.0f} kHz, light -90 dB to dark 0 dB", lowest_drawn, rate.value / 2000),
              {11, ink, true});
  if (drawn.empty()) canvas.text(plot_left, plot_top + 20, "nothing was heard", {13, faint_ink});
  const double row = (height - plot_top - bottom) / static_cast<double>(std::max<std::size_t>(1, drawn.size()));
  constexpr double label = 16;
  const double frames_wide = static_cast<double>(longest) * 1.02;
  for (std::size_t i = 0; i < drawn.size(); ++i) {
    const double y = std::floor(plot_top + row * static_cast<double>(i));
    const TakePanel wave{plot_left, y + label, field_width, row - label - 4};
    const TakePanel spectrum{std::floor(plot_left + field_width + between), y + label, field_width, std::floor(row - label - 4)};
    canvas.text(plot_left, y + label / 2, drawn[i].first->label, {11, ink, false, Canvas::Align::left, field_width});
    draw_waveform(canvas, wave, drawn[i].second, frames_wide, peak);
    draw_spectrogram(canvas, spectrum, drawn[i].second, frames_wide, rate);
    draw_frequencies(canvas, spectrum, rate);
    if (i + 1 == drawn.size())
      for (const TakePanel& field : {wave, spectrum}) draw_time(canvas, field, frames_wide / rate.value, height - bottom);
  }
  canvas.save();
  return drawn.size();
}

}  // namespace tidewater
