#include "author/bring_to_rate.hpp"

#include <fmt/format.h>
#include <soxr.h>

#include <algorithm>
#include <cmath>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr std::size_t seam = 2048;  // frames on each side; longer than the filter at very high quality

}  // namespace

LoopedAudio bring_to_rate(LoopedAudio looped, Hertz rate) {
  Audio& audio = looped.audio;
  const bool loop = looped.loop_from >= 0;
  looped.loop_from = std::max<std::int64_t>(0, looped.loop_from);
  if (audio.rate == rate) return looped;
  const auto width = static_cast<std::size_t>(audio.channels);
  const std::size_t frames = audio.samples.size() / width;
  const auto loop_from = static_cast<std::size_t>(looped.loop_from);
  const double factor = rate.value / audio.rate.value;
  const auto wanted = std::max<std::size_t>(1, static_cast<std::size_t>(std::llround(static_cast<double>(frames) * factor)));
  const std::size_t margin = loop ? seam : 0;
  const std::size_t round = frames - loop_from;

  // Before the head comes, of a loop as a whole, its end; behind the end the loop goes on.
  std::vector<float> source;
  source.reserve((frames + 2 * margin) * width);
  for (std::size_t i = 0; i < frames + 2 * margin; ++i) {
    std::size_t from = 0;
    if (i >= margin + frames)
      from = loop_from + (i - margin - frames) % round;
    else if (i >= margin)
      from = i - margin;
    else
      from = (i + frames * (margin / frames + 1) - margin) % frames;
    const bool silent = i < margin && loop_from > 0;
    for (std::size_t channel = 0; channel < width; ++channel) source.push_back(silent ? 0.0F : audio.samples[from * width + channel]);
  }

  const auto skipped = static_cast<std::size_t>(std::llround(static_cast<double>(margin) * factor));
  std::vector<float> out((skipped * 2 + wanted + 64) * width, 0.0F);
  const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_VHQ, 0);
  std::size_t made = 0;
  const soxr_error_t error = soxr_oneshot(audio.rate.value, rate.value, static_cast<unsigned>(audio.channels), source.data(),
                                          frames + 2 * margin, nullptr, out.data(), out.size() / width, &made, nullptr, &quality, nullptr);
  if (error != nullptr) throw Error(fmt::format("it cannot be brought from {} Hz to {} Hz ({})", audio.rate.value, rate.value, error));
  audio.rate = rate;
  const auto first = out.begin() + static_cast<std::ptrdiff_t>(skipped * width);
  audio.samples.assign(first, first + static_cast<std::ptrdiff_t>(wanted * width));
  looped.loop_from =
      std::min(static_cast<std::int64_t>(wanted) - 1, static_cast<std::int64_t>(std::llround(static_cast<double>(loop_from) * factor)));
  return looped;
}

}  // namespace tidewater
