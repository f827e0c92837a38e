#include "author/clips/clip_facts.hpp"

#include <ebur128.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <numbers>
#include <set>

#include "author/clips/book_clips.hpp"
#include "author/clips/facts_cache.hpp"
#include "author/clips/in_parallel.hpp"
#include "author/clips/kept_clips.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr Seconds short_clip{3};
constexpr Seconds window{0.4};
constexpr Seconds hop{0.02};
constexpr double floor_below_peak = 1e-3;  // -60 dB
constexpr float heard_apart = 1e-3F;       // -60 dB: what is nearer is the same to the ear
constexpr float full_scale = 0.9999F;

struct FreeMeter {
  void operator()(ebur128_state* meter) const { ebur128_destroy(&meter); }
};
using LoudnessMeter = std::unique_ptr<ebur128_state, FreeMeter>;

LoudnessMeter meter_for(const Audio& audio, int mode) {
  return LoudnessMeter(ebur128_init(static_cast<unsigned>(audio.channels), static_cast<unsigned long>(audio.rate.value), mode));
}

Decibels finite(double lufs) { return std::isfinite(lufs) ? Decibels{lufs} : silence; }

Decibels momentary_loudness(const Audio& audio) {
  const LoudnessMeter meter = meter_for(audio, EBUR128_MODE_M);
  const auto width = static_cast<std::size_t>(audio.channels);
  const auto pad = static_cast<std::size_t>(frames(window, audio.rate).value) * width;
  const auto step = static_cast<std::size_t>(frames(hop, audio.rate).value) * width;
  std::vector<float> padded(audio.samples.size() + 2 * pad, 0.0F);
  std::copy(audio.samples.begin(), audio.samples.end(), padded.begin() + static_cast<std::ptrdiff_t>(pad));
  double loudest = -HUGE_VAL;
  for (std::size_t at = 0; at < padded.size(); at += step) {
    ebur128_add_frames_float(meter.get(), padded.data() + at, std::min(step, padded.size() - at) / width);
    double now = -HUGE_VAL;
    if (ebur128_loudness_momentary(meter.get(), &now) == EBUR128_SUCCESS) loudest = std::max(loudest, now);
  }
  return finite(loudest);
}

Decibels gated_loudness(const Audio& audio) {
  const LoudnessMeter meter = meter_for(audio, EBUR128_MODE_I);
  ebur128_add_frames_float(meter.get(), audio.samples.data(), audio.samples.size() / static_cast<std::size_t>(audio.channels));
  double lufs = -HUGE_VAL;
  ebur128_loudness_global(meter.get(), &lufs);
  return finite(lufs);
}

/// Only stretches near the highest sample can hold the highest peak between samples, so only those are measured.
Decibels true_peak_of(const Audio& audio, float peak) {
  constexpr std::size_t stretch = 16;  // more than the meter's filter reaches: a quarter of 49 taps
  constexpr float near = 0.7F;         // a peak between samples is at most about 3 dB above them: a quarter of the rate, between its crests
  const auto width = static_cast<std::size_t>(audio.channels);
  const std::size_t count = audio.samples.size() / width;
  const LoudnessMeter meter = meter_for(audio, EBUR128_MODE_TRUE_PEAK);
  std::size_t fed = 0;
  for (std::size_t at = 0; at < count; at += stretch) {
    const std::size_t end = std::min(count, at + stretch);
    const bool loud =
        std::any_of(audio.samples.begin() + static_cast<std::ptrdiff_t>(at * width),
                    audio.samples.begin() + static_cast<std::ptrdiff_t>(end * width), [&](float x) { return std::abs(x) >= near * peak; });
    if (!loud) continue;
    const std::size_t from = std::max(fed, at < stretch ? 0 : at - stretch);
    const std::size_t to = std::min(count, end + stretch);
    ebur128_add_frames_float(meter.get(), audio.samples.data() + from * width, to - from);
    fed = to;
  }
  double highest = static_cast<double>(peak);
  for (unsigned channel = 0; channel < width; ++channel) {
    double between = 0;
    if (ebur128_true_peak(meter.get(), channel, &between) == EBUR128_SUCCESS) highest = std::max(highest, between);
  }
  return decibels(highest);
}

/// Of all samples: the highest, and sums of them, of their squares, and of those of what changes from frame to frame.
struct Sums {
  float peak = 0;
  double sum = 0, power = 0, change_power = 0;
};

Sums sums_of(const std::vector<float>& samples, std::size_t width) {
  // Eight of each side by side: one would wait for itself, and a compiler may not part it.
  constexpr std::size_t lanes = 8;
  std::array<float, lanes> peak{};
  std::array<double, lanes> sum{}, power{}, change_power{};
  const auto take = [&](std::size_t i, std::size_t lane, float before) {
    const float x = samples[i];
    const double wide = static_cast<double>(x), change = wide - static_cast<double>(before);
    peak[lane] = std::max(peak[lane], std::abs(x));
    sum[lane] += wide;
    power[lane] += wide * wide;
    change_power[lane] += change * change;
  };
  std::size_t i = 0;
  for (; i < std::min(width, samples.size()); ++i) take(i, 0, samples[i]);
  for (; i + lanes <= samples.size(); i += lanes)
    for (std::size_t lane = 0; lane < lanes; ++lane) take(i + lane, lane, samples[i + lane - width]);
  for (; i < samples.size(); ++i) take(i, 0, samples[i - width]);
  Sums sums;
  for (std::size_t lane = 0; lane < lanes; ++lane) {
    sums.peak = std::max(sums.peak, peak[lane]);
    sums.sum += sum[lane];
    sums.power += power[lane];
    sums.change_power += change_power[lane];
  }
  return sums;
}

ClipFacts facts_of_clip(const Book& book, const std::string& path) {
  try {
    return measure(clip_audio(book, path));
  } catch (const Error& error) {
    ClipFacts facts;
    facts.problem = error.what();
    return facts;
  }
}

}  // namespace

ClipFacts measure(const Audio& audio) {
  ClipFacts facts;
  const auto width = static_cast<std::size_t>(audio.channels);
  const std::size_t count = audio.samples.size() / width;
  facts.length = audio.length();
  facts.shape = shape_of(audio);
  if (count == 0) return facts;
  const auto at = [&](std::size_t frame, std::size_t channel) { return audio.samples[frame * width + channel]; };

  const Sums sums = sums_of(audio.samples, width);
  const float peak = sums.peak;
  const auto near_seam = static_cast<std::size_t>(frames({0.02}, audio.rate).value);
  const auto steep = [&](std::size_t i, std::size_t channel) {
    const double change = static_cast<double>(at(i, channel)) - static_cast<double>(at(i - 1, channel));
    facts.steepest_near_seam = std::max(facts.steepest_near_seam, std::abs(change));
  };
  for (std::size_t channel = 0; channel < width; ++channel) {
    int run = 0;
    for (std::size_t i = 0; peak >= full_scale && i < count; ++i) {
      run = std::abs(at(i, channel)) >= full_scale ? run + 1 : 0;
      if (run == 3) ++facts.clipped;
    }
    for (std::size_t i = 1; i < count && i <= near_seam; ++i) steep(i, channel);
    for (std::size_t i = std::max<std::size_t>(1, count - std::min(count, near_seam)); i < count; ++i) steep(i, channel);
    facts.seam = std::max(facts.seam, std::abs(static_cast<double>(at(0, channel)) - static_cast<double>(at(count - 1, channel))));
  }
  for (std::size_t channel = 0; channel < width; ++channel)
    for (const std::size_t end : {std::size_t{0}, count - 1})
      facts.ends = std::max(facts.ends, std::abs(static_cast<double>(at(end, channel))));
  float apart = 0;
  for (std::size_t i = 0; width == 2 && i < count; ++i) apart = std::max(apart, std::abs(at(i, 0) - at(i, 1)));
  facts.stereo = width == 2;
  facts.really_mono = width == 2 && apart <= heard_apart * peak;
  facts.offset = sums.sum / static_cast<double>(audio.samples.size());
  // From frame to frame a sine changes with (2 sin(pi f / rate))^2 times its power.
  if (sums.power > 0)
    facts.brightness = {std::asin(std::min(1.0, std::sqrt(sums.change_power / sums.power) / 2)) * audio.rate.value / std::numbers::pi};
  const auto first = std::find_if(audio.samples.begin(), audio.samples.end(),
                                  [&](float x) { return std::abs(static_cast<double>(x)) > floor_below_peak * static_cast<double>(peak); });
  facts.leading_silence = seconds({(first - audio.samples.begin()) / audio.channels}, audio.rate);
  facts.loudness = facts.length < short_clip ? momentary_loudness(audio) : gated_loudness(audio);
  facts.true_peak = true_peak_of(audio, peak);
  facts.marked_placeholder = audio.placeholder;
  return facts;
}

std::map<std::string, ClipFacts> facts_of(const Book& book, const std::function<void(std::size_t, std::size_t)>& progress,
                                          KeptClips* kept) {
  std::set<std::string> paths;
  for (const auto& sound : book.sounds) sound.each_clip([&](const BookLayer&, const BookClip& clip) { paths.insert(clip.path); });
  std::map<std::string, ClipFacts> result;
  std::vector<std::string> list, made_of;
  for (const std::string& path : paths) {
    const std::string what = kept == nullptr ? std::string() : made_from(book, path);
    if (auto known = what.empty() ? std::nullopt : kept->facts.find(what)) {
      result.emplace(path, *std::move(known));
    } else {
      list.push_back(path);
      made_of.push_back(what);
    }
  }
  if (list.empty()) return result;
  std::vector<ClipFacts> facts(list.size());
  FactsCache cache;
  in_parallel(
      list.size(),
      [&](std::size_t i) {
        const auto measured = [&] { return facts_of_clip(book, list[i]); };
        facts[i] = book.sketches.contains(list[i]) ? measured() : cache.get(clip_file(book, list[i]), book.soundfont, measured);
      },
      progress);
  cache.save();
  for (std::size_t i = 0; i < list.size(); ++i) {
    if (!made_of[i].empty() && facts[i].problem.empty()) kept->facts.keep(made_of[i], facts[i]);
    result.emplace(list[i], std::move(facts[i]));
  }
  return result;
}

}  // namespace tidewater
