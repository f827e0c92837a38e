#include "tidewater/bank.hpp"

#include <cmath>

#include "bank/bank_data.hpp"
#include "dsp/resample.hpp"

namespace tidewater {
namespace {

template <class Items>
std::vector<std::string_view> names_of(const Items& items) {
  std::vector<std::string_view> names;
  names.reserve(items.size());
  for (const auto& item : items) names.emplace_back(item.name);
  return names;
}

}  // namespace

ClipSamples BankClip::view() const {
  const auto stride = static_cast<std::size_t>(frames + 2 * reach);
  ClipSamples view{{samples.data() + reach, nullptr}, frames};
  if (channels == 2) view.channel[1] = view.channel[0] + stride;
  return view;
}

BankClip make_clip(std::string name, int channels, const std::vector<float>& interleaved) {
  BankClip clip;
  clip.name = std::move(name);
  clip.channels = channels;
  const auto width = static_cast<std::size_t>(channels);
  const std::size_t frames = interleaved.size() / width;
  clip.frames = static_cast<std::int64_t>(frames);
  clip.samples.assign((frames + 2 * reach) * width, 0.0F);
  double power = 0;
  for (std::size_t channel = 0; channel < width; ++channel) {
    float* to = clip.samples.data() + channel * (frames + 2 * reach) + reach;
    for (std::size_t i = 0; i < frames; ++i) {
      to[i] = interleaved[i * width + channel];
      power += static_cast<double>(to[i]) * static_cast<double>(to[i]);
    }
  }
  clip.level = interleaved.empty() ? silence : decibels(std::sqrt(power / static_cast<double>(interleaved.size())));
  return clip;
}

std::string_view Bank::name() const { return data_->name; }
Hertz Bank::rate() const { return data_->rate; }
std::vector<std::string_view> Bank::events() const { return names_of(data_->events); }
std::vector<std::string_view> Bank::sounds() const { return names_of(data_->sounds); }
std::vector<std::string_view> Bank::groups() const { return names_of(data_->groups); }

std::size_t Bank::sample_bytes() const {
  std::size_t bytes = 0;
  for (const auto& clip : data_->clips) bytes += clip.samples.size() * sizeof(float);
  return bytes;
}

}  // namespace tidewater
