#include "tidewater/author/weigh.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <map>
#include <set>
#include <string_view>

#include "author/pack/stream_bytes.hpp"
#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"
#include "bank/bank_samples.hpp"
#include "dsp/resample.hpp"

namespace tidewater {
namespace {

constexpr Seconds long_in_memory{30};
constexpr Seconds worth_cutting{0.25};
constexpr double silent_below = 1e-4;  // -80 dB

/// Samples of a channel that is in memory, with full scale 1.
class Channel {
 public:
  Channel(const BankClip& clip, int number)
      : clip_(clip), first_(static_cast<std::size_t>(number) * (static_cast<std::size_t>(clip.kept()) + 2 * reach) + reach) {}
  double operator[](std::int64_t frame) const {
    const std::size_t at = first_ + static_cast<std::size_t>(frame);
    return clip_.shorts.empty() ? static_cast<double>(clip_.floats[at]) : clip_.shorts[at] / 32768.0;
  }

 private:
  const BankClip& clip_;
  std::size_t first_;
};

std::string sort_of(Bytes& bytes) {
  std::array<char, 4> head{};
  bytes.read(0, std::as_writable_bytes(std::span(head)));
  const std::string_view its(head.data(), head.size());
  return its == "fLaC" ? "FLAC" : its == "OggS" ? "Ogg" : its == "RIFF" ? "WAV" : its == "FORM" ? "AIFF" : "MP3 or other";
}

/// A clip as it lies in the bank.
Weight weight_of(const BankClip& clip, Hertz rate) {
  Weight weight{clip.name, clip.bytes(), 1, seconds({clip.frames}, rate), clip.shorts.empty() ? "floats" : "16 bits"};
  if (clip.streamed != nullptr) {
    const std::unique_ptr<Bytes> bytes = stream_bytes(*clip.streamed);
    weight.bytes += bytes->size();
    weight.how = sort_of(*bytes) + ", streams";
    weight.streams = true;
  }
  return weight;
}

double plain_bytes(const BankClip& clip) { return static_cast<double>(clip.frames * clip.channels) * sizeof(std::int16_t); }

bool really_mono(const BankClip& clip) {
  if (clip.channels != 2 || clip.streamed != nullptr) return false;
  const Channel left(clip, 0), right(clip, 1);
  for (std::int64_t i = 0; i < clip.frames; ++i)
    if (left[i] != right[i]) return false;
  return true;
}

/// Frames at its beginning and its end that nobody hears.
std::int64_t silent_frames(const BankClip& clip) {
  const auto heard = [&](std::int64_t frame) {
    for (int channel = 0; channel < clip.channels; ++channel)
      if (std::abs(Channel(clip, channel)[frame]) > silent_below) return true;
    return false;
  };
  std::int64_t first = 0, last = clip.frames;
  while (first < last && !heard(first)) ++first;
  while (last > first && !heard(last - 1)) --last;
  return first + clip.frames - last;
}

void advise(const BankClip& clip, const Weight& weight, bool loops, Hertz rate, std::vector<WeightAdvice>& advice) {
  if (really_mono(clip)) advice.push_back({clip.name, weight.bytes / 2, "both channels are the same: export it with one"});
  if (clip.streamed != nullptr) return;
  if (weight.length > long_in_memory)
    advice.push_back(
        {clip.name, weight.bytes, fmt::format("{:.0f} s are in memory: stream = true reads it while it plays", weight.length.value)});
  if (loops) return;  // its silence is part of its rhythm
  const Seconds silent = seconds({silent_frames(clip)}, rate);
  if (silent >= worth_cutting)
    advice.push_back({clip.name, static_cast<std::uint64_t>(static_cast<double>(weight.bytes) * silent.value / weight.length.value),
                      fmt::format("{:.2f} s at its ends are silent, below -80 dB: cut them off", silent.value)});
}

bool had_losses(std::string_view name) { return name.ends_with(".ogg") || name.ends_with(".opus") || name.ends_with(".mp3"); }

/// Adds a share of a clip.
void add(Weight& to, const Weight& clip, double share) {
  to.bytes += static_cast<std::uint64_t>(std::llround(static_cast<double>(clip.bytes) * share));
  ++to.clips;
  to.length = {to.length.value + clip.length.value};
  if (to.how.find(clip.how) == std::string::npos) to.how += (to.how.empty() ? "" : " and ") + clip.how;
}

void sort(std::vector<Weight>& weights) {
  std::stable_sort(weights.begin(), weights.end(), [](const Weight& a, const Weight& b) { return a.bytes > b.bytes; });
}

}  // namespace

Weights weigh(const Bank& given) {
  const Bank bank = with_all_samples(given);
  const BankData& data = data_of(bank);
  std::vector<std::set<std::size_t>> users(data.clips.size());
  std::vector<bool> loops(data.clips.size());
  for (std::size_t s = 0; s < data.sounds.size(); ++s)
    for (const BankLayer& layer : data.sounds[s].layers)
      for (const BankChoice& choice : layer.choices)
        for (const BankClipUse& use : choice.clips) {
          users[use.clip].insert(s);
          loops[use.clip] = loops[use.clip] || layer.loop;
        }

  Weights weights;
  WeightAdvice floats_with_losses;
  std::size_t floats = 0;
  std::vector<Weight> sounds(data.sounds.size());
  std::vector<double> plain(data.sounds.size());
  std::map<std::string, Weight> groups;
  std::map<std::string, double> plain_of_group;
  for (std::size_t c = 0; c < data.clips.size(); ++c) {
    const BankClip& clip = data.clips[c];
    if (clip.base != 0 && !clip.there()) continue;  // another bank has it
    Weight weight = weight_of(clip, data.rate);
    weight.ratio = static_cast<double>(weight.bytes) / plain_bytes(clip);
    weights.bytes += weight.bytes;
    advise(clip, weight, loops[c], data.rate, weights.advice);
    if (clip.streamed == nullptr && clip.shorts.empty() && had_losses(clip.name)) {
      floats_with_losses.clip = floats_with_losses.clip.empty() ? clip.name : floats_with_losses.clip;
      floats_with_losses.bytes += weight.bytes / 2;
      ++floats;
    }
    for (const std::size_t s : users[c]) {
      const auto one = [](std::string& its, const std::string& other) { its = its.empty() || its == other ? other : "(several)"; };
      one(weight.sound, data.sounds[s].name);
      one(weight.group, data.groups[data.sounds[s].group].name);
    }
    std::map<std::string, double> shares;
    const double share = 1.0 / static_cast<double>(std::max<std::size_t>(users[c].size(), 1));
    for (const std::size_t s : users[c]) {
      add(sounds[s], weight, share);
      plain[s] += plain_bytes(clip) * share;
      shares[data.groups[data.sounds[s].group].name] += share;
    }
    for (const auto& [group, its] : shares) {
      add(groups[group], weight, its);
      plain_of_group[group] += plain_bytes(clip) * its;
    }
    weights.clips.push_back(std::move(weight));
  }
  for (std::size_t s = 0; s < sounds.size(); ++s) {
    sounds[s].name = data.sounds[s].name;
    if (plain[s] > 0) sounds[s].ratio = static_cast<double>(sounds[s].bytes) / plain[s];
  }
  weights.sounds = std::move(sounds);
  for (auto& [name, weight] : groups) {
    weight.name = name;
    weight.ratio = static_cast<double>(weight.bytes) / plain_of_group[name];
    weights.groups.push_back(std::move(weight));
  }
  sort(weights.clips);
  sort(weights.sounds);
  sort(weights.groups);
  if (floats > 0) {
    floats_with_losses.text = fmt::format(
        "{} decoded from a file with losses, and in memory as floats: samples = \"16-bit\" in a target takes half of that, with noise at "
        "-96 dB",
        floats == 1 ? "it is" : fmt::format("it and {} more clips are", floats - 1));
    weights.advice.push_back(std::move(floats_with_losses));
  }
  std::stable_sort(weights.advice.begin(), weights.advice.end(), [](const auto& a, const auto& b) { return a.bytes > b.bytes; });
  return weights;
}

namespace {

/// What a clip is to a player's disk: its samples, and the file that it streams from.
struct Lying {
  std::uint64_t bytes = 0, hash = 0;
};

std::map<std::string, Lying> lying_in(const Bank& given) {
  const Bank bank = with_all_samples(given);
  std::map<std::string, Lying> all;
  std::vector<std::byte> piece(bank_file::block);
  for (const BankClip& clip : data_of(bank).clips) {
    if (clip.base != 0 && !clip.there()) continue;  // another bank has it
    Lying& its = all[clip.name];
    const auto add = [&](std::span<const std::byte> bytes) {
      its.bytes += bytes.size();
      its.hash = its.hash * 31 + bank_file::hash_of(bytes);
    };
    add(clip.shorts.empty() ? std::as_bytes(clip.floats) : std::as_bytes(clip.shorts));
    if (clip.streamed == nullptr) continue;
    const std::unique_ptr<Bytes> bytes = stream_bytes(*clip.streamed);
    std::uint64_t at = 0;
    for (std::size_t got = 0; (got = bytes->read(at, piece)) > 0; at += got) add(std::span(piece).first(got));
  }
  return all;
}

}  // namespace

UpdateCost weigh_update(const Bank& before, const Bank& now) {
  const std::map<std::string, Lying> was = lying_in(before);
  std::map<std::string, Lying> is = lying_in(now);
  for (const BankClip& clip : data_of(before).clips)
    if (clip.base != 0 && !clip.there()) is.erase(clip.name);  // another bank has it, and goes on having it
  UpdateCost cost;
  for (const auto& [name, its] : is) {
    const auto old = was.find(name);
    if (old != was.end() && old->second.hash == its.hash && old->second.bytes == its.bytes) {
      cost.kept += its.bytes;
      continue;
    }
    cost.fresh += its.bytes;
    if (old != was.end()) cost.gone += old->second.bytes;
    cost.changes.push_back({name, old == was.end() ? 0 : old->second.bytes, its.bytes});
  }
  for (const auto& [name, its] : was)
    if (!is.contains(name)) {
      cost.gone += its.bytes;
      cost.changes.push_back({name, its.bytes, 0});
    }
  std::stable_sort(cost.changes.begin(), cost.changes.end(),
                   [](const auto& a, const auto& b) { return std::max(a.before, a.now) > std::max(b.before, b.now); });
  return cost;
}

}  // namespace tidewater
