#include "tidewater/bank.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "bank/bank_data.hpp"
#include "dsp/rate_converter.hpp"
#include "dsp/resample.hpp"
#include "media/bytes.hpp"

namespace tidewater {
namespace {

template <class Items>
std::vector<std::string_view> names_of(const Items& items) {
  std::vector<std::string_view> names;
  names.reserve(items.size());
  for (const auto& item : items) names.emplace_back(item.name);
  return names;
}

Decibels level_of(const std::vector<float>& samples) {
  // Several sums side by side: one would wait for itself.
  constexpr std::size_t side_by_side = 8;
  std::array<double, side_by_side> sums{};
  for (std::size_t i = 0; i < samples.size(); ++i) {
    const auto x = static_cast<double>(std::isfinite(samples[i]) ? samples[i] : 0.0F);  // what was damaged does not count
    sums[i % side_by_side] += x * x;
  }
  double power = 0;
  for (const double sum : sums) power += sum;
  if (samples.empty() || power <= 0) return silence;
  // To a hundredth, as it is compared.
  return {std::round(100 * decibels(std::sqrt(power / static_cast<double>(samples.size()))).value) / 100};
}

/// One channel is (left + right) / sqrt(2) of all: what brings a clip in it to the mean power of its two channels.
float fold_of(const std::vector<float>& interleaved, int channels) {
  if (channels != 2) return 1;
  constexpr double most = 2;  // where the channels cancel each other
  double power = 0, both = 0;
  for (std::size_t i = 0; i + 1 < interleaved.size(); i += 2) {
    const auto left = static_cast<double>(interleaved[i]);
    const auto right = static_cast<double>(interleaved[i + 1]);
    power += left * left + right * right;
    both += 2 * left * right;
  }
  if (power <= 0) return 1;
  return static_cast<float>(1 / std::sqrt(std::max(1 / (most * most), 1 + both / power)));
}

}  // namespace

Read<std::unique_ptr<Bytes>> read_file(const StreamedFile& file) {
  if (file.open) return {file.open(), {}};
  return read_file(file.path);
}

ClipSamples BankClip::view(const ClipData& data) const {
  const auto stride = static_cast<std::size_t>(kept() + 2 * reach);
  ClipSamples view;
  view.frames = frames;
  view.kept = kept();
  view.loop_from = loop_from;
  for (std::size_t channel = 0; channel < static_cast<std::size_t>(channels); ++channel) {
    if (data.shorts.empty())
      view.floats[channel] = data.floats.data() + channel * stride + reach;
    else
      view.shorts[channel] = data.shorts.data() + channel * stride + reach;
  }
  return view;
}

BankClip make_clip(std::string name, int channels, const std::vector<float>& interleaved, bool sixteen_bits) {
  BankClip clip;
  clip.name = std::move(name);
  clip.channels = channels;
  const auto width = static_cast<std::size_t>(channels);
  const std::size_t frames = interleaved.size() / width;
  const std::size_t stride = frames + 2 * reach;
  clip.frames = static_cast<std::int64_t>(frames);
  const auto place = [&](std::size_t i) { return i % width * stride + reach + i / width; };
  if (sixteen_bits) {
    const auto samples = std::make_shared<std::vector<std::int16_t>>(stride * width, std::int16_t{0});
    for (std::size_t i = 0; i < interleaved.size(); ++i)
      (*samples)[place(i)] = static_cast<std::int16_t>(std::clamp(interleaved[i] * 32768, -32768.0F, 32767.0F));
    clip.shorts = *samples;
    clip.memory = samples;
  } else {
    const auto samples = std::make_shared<std::vector<float>>(stride * width, 0.0F);
    for (std::size_t i = 0; i < interleaved.size(); ++i) (*samples)[place(i)] = interleaved[i];
    clip.floats = *samples;
    clip.memory = samples;
  }
  clip.level = level_of(interleaved);
  clip.fold = fold_of(interleaved, channels);
  return clip;
}

BankClip make_streamed_clip(std::string name, std::string file, int channels, Hertz rate, const std::vector<float>& interleaved,
                            Hertz bank_rate, std::int64_t loop_from) {
  constexpr Seconds head_length{0.25};
  const auto width = static_cast<std::size_t>(channels);
  const auto all = static_cast<std::int64_t>(interleaved.size() / width);
  const std::int64_t frames = RateConverter::length(all, rate, bank_rate);
  const std::int64_t head = std::min(frames, tidewater::frames(head_length, bank_rate).value);
  const auto converter = converter_for(rate, bank_rate);
  const std::int64_t half = converter->half();
  const std::int64_t needed = converter->source_of(head) + 2 * half + 1;
  std::vector<float> one(static_cast<std::size_t>(needed + half)), kept(static_cast<std::size_t>(head) * width);
  for (std::size_t channel = 0; channel < width; ++channel) {
    std::fill(one.begin(), one.end(), 0.0F);  // before its head there is nothing, nor behind its end
    for (std::int64_t i = 0; i < std::min(all, needed); ++i)
      one[static_cast<std::size_t>(half + i)] = interleaved[static_cast<std::size_t>(i) * width + channel];
    converter->convert(one.data(), -half, 0, head, kept.data() + channel, channels);
  }
  BankClip clip = make_clip(std::move(name), channels, kept);
  clip.frames = frames;
  clip.level = level_of(interleaved);
  clip.fold = fold_of(interleaved, channels);
  clip.loop_from = RateConverter::length(loop_from, rate, bank_rate);
  clip.streamed =
      std::make_shared<const StreamedFile>(StreamedFile{std::move(file), channels, rate, all, loop_from, bank_rate, frames, head});
  return clip;
}

ContentHash Bank::content() const { return data_->content; }

std::string_view Bank::name() const { return data_->name; }
std::string_view Bank::target() const { return data_->target; }
std::string_view Bank::language() const { return data_->language; }
std::vector<std::string_view> Bank::bases() const { return names_of(data_->bases); }
bool Bank::is_patch() const { return data_->root() != data_->name; }
Hertz Bank::rate() const { return data_->rate; }
std::vector<std::string_view> Bank::events() const { return names_of(data_->events); }
std::vector<std::string_view> Bank::sounds() const { return names_of(data_->sounds); }
std::vector<std::string_view> Bank::groups() const { return names_of(data_->groups); }

std::size_t Bank::clips() const { return data_->clips.size(); }

std::size_t Bank::sample_bytes() const {
  std::size_t bytes = 0;
  for (const auto& clip : data_->clips) bytes += clip.bytes();
  return bytes;
}

}  // namespace tidewater
