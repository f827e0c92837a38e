#include "tidewater/stress.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <optional>

#include "bank/bank_data.hpp"
#include "bank/streamer.hpp"
#include "base/random.hpp"
#include "base/rates.hpp"
#include "mix/mixer.hpp"
#include "tidewater/audio_file.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

struct Kind {
  const char* name;
  std::optional<Quality> quality;  ///< none: as asked for
  bool varied = true, filtered = false, streamed = false;
};
constexpr Kind kinds[] = {{.name = "unity pitch", .quality = Quality::standard, .varied = false},
                          {.name = "varied, standard", .quality = Quality::standard},
                          {.name = "varied, fine", .quality = Quality::fine},
                          {.name = "varied, filtered", .quality = {}, .filtered = true},
                          {.name = "streamed", .quality = {}, .streamed = true}};

constexpr std::uint32_t fewest = 32;
constexpr std::uint32_t most = 16384;
constexpr double growth = 1.5;
constexpr Seconds time_a_point{0.3};
constexpr std::size_t fewest_times = 30;
constexpr std::size_t most_times = 1200;
constexpr std::size_t times_at_256 = 3000;  // enough for a 99.9th percentile
constexpr Seconds most_time_at_256{4};
constexpr int blocks_a_time_streamed = 32;
constexpr Seconds streamed_length{30};

/// As a game has them: many clips, each of many kilobytes, so that memory counts; and one of Ogg Vorbis on disk.
class Material {
 public:
  explicit Material(Hertz rate) {
    Random random(1);
    std::vector<float> samples(48000);
    for (int i = 0; i < 256; ++i) {
      for (float& x : samples) x = static_cast<float>(random.between(-0.001, 0.001));
      in_memory.push_back(make_clip("noise", 1, samples));
    }
    const auto unique = std::chrono::steady_clock::now().time_since_epoch().count();
    path_ = (fs::temp_directory_path() / fmt::format("tidewater-stress-{}.ogg", unique)).string();
    samples.resize(static_cast<std::size_t>(frames(streamed_length, rate).value));
    for (std::size_t i = 0; i < samples.size(); ++i) {
      const double t = static_cast<double>(i) / rate.value;
      samples[i] = static_cast<float>(0.0003 * (std::sin(1400 * t) + std::sin(2100 * t + std::sin(9 * t)) + random.between(-0.3, 0.3)));
    }
    AudioFileWriter file(path_, rate, 1);
    file.write(samples);
    file.close();
    streamed = make_streamed_clip("streamed", path_, 1, rate, samples, rate);
  }
  ~Material() {
    std::error_code ignored;
    fs::remove(path_, ignored);
  }
  Material(const Material&) = delete;
  Material& operator=(const Material&) = delete;

  std::vector<BankClip> in_memory;
  BankClip streamed;

 private:
  std::string path_;
};

/// One mixer full of voices of a kind.
class Crowd {
 public:
  Crowd(const Kind& kind, std::uint32_t voices, const StressOptions& options, const Material& material)
      : mixer_({.voices = voices, .rate = options.rate.value, .layout = Layout::stereo, .limiter = true}),
        out_(static_cast<std::size_t>(options.block) * 2),
        streamed_(kind.streamed) {
    Random random(voices);
    for (std::uint32_t v = 0; v < voices; ++v) {
      const BankClip& clip = streamed_ ? material.streamed : material.in_memory[v % material.in_memory.size()];
      StartVoice start;
      start.voice = v;
      start.clip = clip.view();
      start.position.whole = random.below(40000);
      start.step = kind.varied ? step_for(random.between(0.9, 1.1)) : unity_step;
      start.quality = kind.quality.value_or(options.quality);
      start.low_pass = kind.filtered ? 3000.0F : 0.0F;
      start.loop = true;
      if (streamed_) start.clip.stream = &streamer_.open(clip.streamed, start.position.whole, true)->ring;
      while (!mixer_.post(start)) mixer_.render(out_);
    }
    for (int i = 0; i < 4; ++i) render();
  }

  void render() {
    if (streamed_) streamer_.fill();
    mixer_.render(out_);
  }

 private:
  Streamer streamer_;
  Mixer mixer_;
  std::vector<float> out_;
  bool streamed_;
};

StressPoint measure(const Kind& kind, std::uint32_t voices, const StressOptions& options, const Material& material, std::size_t most_taken,
                    Seconds longest) {
  Crowd crowd(kind, voices, options, material);
  const int at_a_time = kind.streamed ? blocks_a_time_streamed : 1;
  std::vector<double> times;
  double sum = 0;
  while (times.size() < fewest_times || (sum < longest.value && times.size() < most_taken)) {
    const auto began = std::chrono::steady_clock::now();
    for (int i = 0; i < at_a_time; ++i) crowd.render();
    const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    times.push_back(took / at_a_time);
    sum += took;
  }
  std::sort(times.begin(), times.end());
  const auto at = [&](double part) {
    return Seconds{times[std::min(times.size() - 1, static_cast<std::size_t>(part * static_cast<double>(times.size())))]};
  };
  return {voices, at(0.5), at(0.99), at(0.999), Seconds{times.back()}};
}

}  // namespace

StressResult stress(const StressOptions& options, const std::function<void(const std::string&, const StressPoint&)>& progress) {
  check_rate(options.rate, "the measurement");
  const Material material(options.rate);
  StressResult result{seconds({options.block}, options.rate), {}, kernels::target_name()};
  for (const Kind& kind : kinds) {
    StressCurve curve{kind.name, {}, measure(kind, 256, options, material, times_at_256, most_time_at_256)};
    progress(kind.name, curve.at_256);
    for (double voices = fewest; voices <= most; voices *= growth) {
      curve.points.push_back(measure(kind, static_cast<std::uint32_t>(voices), options, material, most_times, time_a_point));
      progress(kind.name, curve.points.back());
      if (curve.points.back().median > result.deadline) break;
    }
    result.curves.push_back(std::move(curve));
  }
  return result;
}

}  // namespace tidewater
