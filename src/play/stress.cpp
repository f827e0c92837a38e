#include "tidewater/stress.hpp"

#include <algorithm>
#include <chrono>
#include <span>

#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "mix/mixer.hpp"

namespace tidewater {
namespace {

struct Kind {
  const char* name;
  bool varied;
  Quality quality;
  bool filtered;
};
constexpr Kind kinds[] = {{"unity pitch", false, Quality::standard, false},
                          {"varied, standard", true, Quality::standard, false},
                          {"varied, fine", true, Quality::fine, false},
                          {"varied, filtered", true, Quality::standard, true}};

constexpr std::uint32_t fewest = 32;
constexpr std::uint32_t most = 16384;
constexpr double growth = 1.5;
constexpr Seconds time_a_point{0.3};
constexpr std::size_t most_blocks = 1200;
constexpr std::size_t fewest_blocks = 30;

/// As a game has them: many clips, each of many kilobytes, so that memory counts.
std::vector<BankClip> make_clips() {
  std::vector<BankClip> clips;
  Random random(1);
  for (int i = 0; i < 256; ++i) {
    std::vector<float> samples(48000);
    for (float& x : samples) x = static_cast<float>(random.between(-0.001, 0.001));
    clips.push_back(make_clip("noise", 1, samples));
  }
  return clips;
}

StressPoint measure(const Kind& kind, std::uint32_t voices, const StressOptions& options, std::span<const BankClip> clips) {
  Mixer mixer({.voices = voices, .rate = options.rate.value, .layout = Layout::stereo, .limiter = true});
  Random random(voices);
  std::vector<float> out(static_cast<std::size_t>(options.block) * 2);
  for (std::uint32_t v = 0; v < voices; ++v) {
    StartVoice start;
    start.voice = v;
    start.clip = clips[v % clips.size()].view();
    start.position = random.below(40000);
    start.step = kind.varied ? step_for(random.between(0.9, 1.1)) : unity_step;
    start.quality = kind.quality;
    start.low_pass = kind.filtered ? 3000.0F : 0.0F;
    start.loop = true;
    while (!mixer.post(start)) mixer.render(out);
  }
  for (int i = 0; i < 4; ++i) mixer.render(out);
  std::vector<double> times;
  double sum = 0;
  while (times.size() < fewest_blocks || (sum < time_a_point.value && times.size() < most_blocks)) {
    const auto began = std::chrono::steady_clock::now();
    mixer.render(out);
    times.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count());
    sum += times.back();
  }
  std::sort(times.begin(), times.end());
  const auto at = [&](double part) {
    return Seconds{times[std::min(times.size() - 1, static_cast<std::size_t>(part * static_cast<double>(times.size())))]};
  };
  return {voices, at(0.5), at(0.99), at(0.999), Seconds{times.back()}};
}

}  // namespace

std::uint32_t StressCurve::voices_within(double part, Seconds deadline) const {
  const double limit = part * deadline.value;
  StressPoint before;
  for (const StressPoint& point : points) {
    if (point.median.value > limit) {
      const double share = (limit - before.median.value) / (point.median.value - before.median.value);
      return before.voices + static_cast<std::uint32_t>(std::max(0.0, share) * (point.voices - before.voices));
    }
    before = point;
  }
  return before.voices;
}

StressResult stress(const StressOptions& options, const std::function<void(const std::string&, const StressPoint&)>& progress) {
  const auto clips = make_clips();
  StressResult result{seconds({options.block}, options.rate), {}, kernels::target_name()};
  for (const Kind& kind : kinds) {
    StressCurve curve{kind.name, {}};
    for (double voices = fewest; voices <= most; voices *= growth) {
      curve.points.push_back(measure(kind, static_cast<std::uint32_t>(voices), options, clips));
      progress(kind.name, curve.points.back());
      if (curve.points.back().median > result.deadline) break;
    }
    result.curves.push_back(std::move(curve));
  }
  return result;
}

}  // namespace tidewater
