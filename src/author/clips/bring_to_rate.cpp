#include "author/clips/bring_to_rate.hpp"

#include <fmt/format.h>
#include <soxr.h>

#include <algorithm>
#include <cmath>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr std::int64_t seam = 2048;         // frames on each side; longer than the filter at very high quality
constexpr double nearest_pitch = 2.888e-5;  // 0.05 ct

/// Whole rounds of a loop, and the whole frames that they become at another rate.
struct Rounds {
  std::int64_t unrolled;  ///< frames of these rounds at the old rate
  std::int64_t frames;    ///< and at the new one

  /// Frames at the new rate that hold `source` frames, rounded up.
  std::int64_t made_of(std::int64_t source) const {
    return static_cast<std::int64_t>(std::ceil(static_cast<double>(source) * static_cast<double>(frames) / static_cast<double>(unrolled)));
  }
};

/// A loop goes on without a tick only if its length is whole: the ratio is bent until it is. Short loops are unrolled, until
/// that bends their pitch by less than a twentieth of a cent.
Rounds whole_rounds(std::int64_t round, double factor) {
  for (std::int64_t rounds = 1;; ++rounds) {
    const double exact = static_cast<double>(rounds * round) * factor;
    const auto frames = std::max<std::int64_t>(1, std::llround(exact));
    if (std::abs(static_cast<double>(frames) / exact - 1) <= nearest_pitch) return {rounds * round, frames};
  }
}

/// `made` frames from `skipped` on, of source frames [0, in) at so many frames out for so many in.
std::vector<float> convert(const std::vector<float>& source, int channels, double frames_in, double frames_out, std::int64_t skipped,
                           std::int64_t wanted) {
  const auto width = static_cast<std::size_t>(channels);
  std::vector<float> out(static_cast<std::size_t>(skipped + wanted + 64) * width, 0.0F);
  const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_VHQ, 0);
  std::size_t made = 0;
  const soxr_error_t error = soxr_oneshot(frames_in, frames_out, static_cast<unsigned>(channels), source.data(), source.size() / width,
                                          nullptr, out.data(), out.size() / width, &made, nullptr, &quality, nullptr);
  if (error != nullptr) throw Error(fmt::format("its rate cannot be changed ({})", error));
  const auto first = out.begin() + static_cast<std::ptrdiff_t>(skipped * channels);
  return {first, first + static_cast<std::ptrdiff_t>(wanted * channels)};
}

}  // namespace

RateMap rate_map(std::int64_t loop_from, std::int64_t frames, bool loops, Hertz from, Hertz to) {
  if (from == to) return {};
  if (!loops) return {0, std::llround(to.value), std::llround(from.value)};
  const Rounds whole = whole_rounds(frames - loop_from, to.value / from.value);
  return {whole.made_of(loop_from) * whole.unrolled - loop_from * whole.frames, whole.frames, whole.unrolled};
}

LoopedAudio bring_to_rate(LoopedAudio looped, Hertz rate) {
  Audio& audio = looped.audio;
  const bool loop = looped.loop_from >= 0;
  looped.loop_from = std::max<std::int64_t>(0, looped.loop_from);
  if (audio.rate == rate) return looped;
  const auto width = static_cast<std::int64_t>(audio.channels);
  const std::int64_t frames = static_cast<std::int64_t>(audio.samples.size()) / width;
  const double factor = rate.value / audio.rate.value;
  if (!loop) {
    const auto wanted = std::max<std::int64_t>(1, std::llround(static_cast<double>(frames) * factor));
    audio.samples = convert(audio.samples, audio.channels, audio.rate.value, rate.value, 0, wanted);
    audio.rate = rate;
    return looped;
  }
  const std::int64_t head = looped.loop_from;
  const std::int64_t round = frames - head;
  const Rounds whole = whole_rounds(round, factor);
  const std::int64_t unrolled = whole.unrolled;
  /// Frames [from, to) of the loop at its new rate; before it lies its head, or the loop itself.
  const auto stretch = [&](bool with_head, std::int64_t from, std::int64_t to) {
    // Filled up in front by whole lengths of the loop, so that it begins on a whole frame.
    const std::int64_t before = ((with_head ? head : 0) + seam + unrolled - 1) / unrolled;
    const auto needed =
        static_cast<std::int64_t>(std::ceil(static_cast<double>(to) * static_cast<double>(unrolled) / static_cast<double>(whole.frames)));
    std::vector<float> source;
    source.reserve(static_cast<std::size_t>((before * unrolled + needed + seam) * width));
    for (std::int64_t i = -before * unrolled; i < needed + seam; ++i) {
      const std::int64_t at = i >= 0 || !with_head ? head + (i % round + round) % round : head + i;
      for (std::int64_t channel = 0; channel < width; ++channel)
        source.push_back(at < 0 ? 0.0F : audio.samples[static_cast<std::size_t>(at * width + channel)]);
    }
    return convert(source, audio.channels, static_cast<double>(unrolled), static_cast<double>(whole.frames), before * whole.frames + from,
                   to - from);
  };
  std::vector<float> loop_made = stretch(false, 0, whole.frames);
  looped.loop_from = 0;
  if (head > 0) {
    // The first pass begins with what comes from the head, until the filter has forgotten it; then the loop goes round.
    const std::int64_t head_made = whole.made_of(head);
    const std::int64_t first_pass = whole.made_of(seam);
    std::vector<float> all = stretch(true, -head_made, first_pass);
    const std::int64_t turned = first_pass % whole.frames * width;
    all.insert(all.end(), loop_made.begin() + turned, loop_made.end());
    all.insert(all.end(), loop_made.begin(), loop_made.begin() + turned);
    loop_made = std::move(all);
    looped.loop_from = head_made + first_pass;
  }
  audio.samples = std::move(loop_made);
  audio.rate = rate;
  return looped;
}

}  // namespace tidewater
