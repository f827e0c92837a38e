#include "tidewater/author/compare.hpp"

#include <fmt/format.h>
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <future>
#include <map>
#include <memory>
#include <string>
#include <utility>

#include "author/listen/sound_print.hpp"
#include "media/decode.hpp"
#include "tidewater/error.hpp"
#include "tidewater/taps.hpp"

namespace tidewater {
namespace {

constexpr double least_group_change = 0.05;  ///< dB
constexpr double least_pitch = 0.05;         ///< semitones

/// What goes into a group and what comes out.
struct Through {
  double in = 0, out = 0;  ///< sums of squares
  std::vector<float> run;  ///< interleaved: what has gone in during the present run
  std::int64_t from = -1;

  double change() const { return in > 0 && out > 0 ? 10 * std::log10(out / in) : 0; }
  void add(std::int64_t at, std::span<const float> left, std::span<const float> right) {
    if (at != from) flush();
    from = at;
    run.resize(std::max(run.size(), 2 * left.size()));
    for (std::size_t i = 0; i < left.size(); ++i) run[2 * i] += left[i], run[2 * i + 1] += right[i];
  }
  void flush() {
    for (const float x : run) in += static_cast<double>(x) * static_cast<double>(x);
    run.clear();
  }
};

struct Sound {
  explicit Sound(Hertz rate) : print(rate) {}
  SoundPrint print;
  std::string group;
  std::vector<std::int64_t> starts;  ///< frames, over all sessions
  double pitches = 0;                ///< sum of what was drawn
};

/// All that is kept of one version.
struct Rendered {
  std::map<std::string, Sound, std::less<>> sounds;
  std::map<std::string, Through, std::less<>> groups;
  std::vector<std::uint64_t> hashes;  ///< of the samples of each session
  Seconds length;
  std::unique_ptr<OwnLoudness> whole;

  Sound& sound(std::string_view name, std::string_view group, Hertz rate) {
    auto known = sounds.find(name);
    if (known == sounds.end()) known = sounds.emplace(std::string(name), Sound(rate)).first;
    if (known->second.group.empty()) known->second.group = group;
    return known->second;
  }
  Through& group(std::string_view name) {
    auto known = groups.find(name);
    return known == groups.end() ? groups.emplace(std::string(name), Through()).first->second : known->second;
  }
};

class SampleHash {
 public:
  SampleHash() { XXH3_64bits_reset(state_.get()); }
  void add(std::span<const float> samples) { XXH3_64bits_update(state_.get(), samples.data(), samples.size_bytes()); }
  std::uint64_t sum() const { return XXH3_64bits_digest(state_.get()); }

 private:
  struct Free {
    void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
  };
  std::unique_ptr<XXH3_state_t, Free> state_{XXH3_createState()};
};

Rendered render(const ComparedVersion& version, std::span<const JournalScript> sessions, const CompareOptions& options, bool measures,
                bool tells) {
  const Hertz rate = sessions.front().head.rate;
  Rendered all;
  all.whole = std::make_unique<OwnLoudness>(rate);
  Seconds of;
  for (const JournalScript& script : sessions) of = of + seconds(script.end.value_or(Frames{}), rate);
  for (const JournalScript& recorded : sessions) {
    const JournalScript script = options.as_played ? recorded : without_player(recorded);
    ManagerOptions manager_options = options_of(script);
    manager_options.layout = Layout::stereo;
    const std::int64_t offset = frames(all.length, rate).value;
    const auto starts = [&](const std::string& name, const noted::Layer& layer) {
      Sound& sound = all.sound(name, layer.group, rate);
      sound.starts.push_back(offset + layer.starts.value);
      sound.pitches += layer.pitch.value;
    };
    manager_options.journal = [&](const JournalEntry& entry) {
      if (const auto* decision = entry.as<noted::Decision>(); decision != nullptr && decision->start)
        starts(decision->sound, *decision->start);
      if (version.journal) version.journal(entry);
    };
    SoundManager manager(std::move(manager_options));
    if (measures)
      tap(manager, {.sound =
                        [&](const TappedSound& its) {
                          all.sound(its.sound, its.group, rate).print.add(offset + its.from.value, its.left, its.right);
                          all.group(its.group).add(its.from.value, its.left, its.right);
                        },
                    .group =
                        [&](const TappedGroup& its) {
                          Through& group = all.group(its.group);
                          if (group.from == its.from.value) {
                            for (std::size_t i = 0; i < its.left.size(); ++i)
                              group.out += static_cast<double>(its.left[i]) * static_cast<double>(its.left[i]) +
                                           static_cast<double>(its.right[i]) * static_cast<double>(its.right[i]);
                            group.flush();
                          }
                          if (!its.parent.empty()) all.group(its.parent).add(its.from.value, its.left, its.right);
                        }});
    SampleHash hash;
    std::vector<float> left, right;
    std::int64_t rendered = 0;
    replay(script, version.banks, manager, [&](std::span<const float> block) {
      hash.add(block);
      if (version.samples) version.samples(block);
      rendered += static_cast<std::int64_t>(block.size() / 2);
      if (tells && options.progress) options.progress(all.length + seconds({rendered}, rate), of);
      if (!measures) return;
      left.resize(block.size() / 2), right.resize(block.size() / 2);
      for (std::size_t i = 0; i < left.size(); ++i) left[i] = block[2 * i], right[i] = block[2 * i + 1];
      all.whole->add(offset + rendered, left, right);
    });
    all.hashes.push_back(hash.sum());
    all.length = all.length + seconds({rendered}, rate);
  }
  for (auto& [name, sound] : all.sounds) {
    sound.print.finish();
    std::sort(sound.starts.begin(), sound.starts.end());
  }
  all.whole->finish();
  return all;
}

/// Renders both versions, on two threads.
std::pair<Rendered, Rendered> render_both(const std::array<ComparedVersion, 2>& versions, std::span<const JournalScript> sessions,
                                          const CompareOptions& options, bool measures) {
  auto second = std::async(std::launch::async, [&] { return render(versions[1], sessions, options, measures, false); });
  Rendered first;
  try {
    first = render(versions[0], sessions, options, measures, true);
  } catch (...) {
    second.wait();
    throw;
  }
  return {std::move(first), second.get()};
}

void compare_prints(const SoundPrint& one, const SoundPrint& other, ComparedSound& its) {
  if (one.integrated() != silence && other.integrated() != silence) its.level = other.integrated().value - one.integrated().value;
  its.measured_pitch = SoundPrint::pitch_between(one, other);
  for (const auto& [band, change] : SoundPrint::differing_bands(one, other))
    its.bands.push_back({Hertz{SoundPrint::lowest_band * std::exp2(static_cast<double>(band) / 3)}, change});
}

bool differs(const ComparedSound& its) {
  return its.how != ComparedSound::How::changed || std::abs(its.level) >= 0.005 || its.timing != 0 || its.starts != 0 ||
         std::abs(its.drawn_pitch) >= 0.005 || std::abs(its.measured_pitch) >= least_pitch || !its.bands.empty();
}

ComparedSound compare_sounds(const std::string& name, const Sound& one, const Sound& other) {
  ComparedSound its{.name = name, .group = other.group};
  its.starts = static_cast<std::int64_t>(other.starts.size()) - static_cast<std::int64_t>(one.starts.size());
  if (its.starts == 0)
    for (std::size_t i = 0; i < one.starts.size(); ++i) its.timing = std::max(its.timing, std::abs(other.starts[i] - one.starts[i]));
  const auto mean = [](const Sound& sound) { return sound.starts.empty() ? 0 : sound.pitches / static_cast<double>(sound.starts.size()); };
  its.drawn_pitch = mean(other) - mean(one);
  compare_prints(one.print, other.print, its);
  return its;
}

}  // namespace

bool Comparison::within(double most) const {
  if (same) return true;
  const auto good = [&](const ComparedSound& its) {
    return its.how == ComparedSound::How::changed && std::abs(its.level) <= most && its.timing == 0 && its.starts == 0 &&
           std::abs(its.drawn_pitch) < least_pitch && std::abs(its.measured_pitch) < least_pitch && its.bands.empty();
  };
  return std::abs(level) <= most && std::all_of(sounds.begin(), sounds.end(), good) &&
         std::all_of(groups.begin(), groups.end(), [&](const ComparedGroup& its) { return std::abs(its.level) <= most; });
}

Comparison compare(const std::array<ComparedVersion, 2>& versions, std::span<const JournalScript> sessions, const CompareOptions& options) {
  if (sessions.empty()) throw Error("comparing banks needs a session: name a journal");
  for (const JournalScript& script : sessions)
    if (script.head.rate != sessions.front().head.rate)
      throw Error(fmt::format("{}: was recorded at {}, and {} at {}; compare them one by one", script.file, to_text(script.head.rate),
                              sessions.front().file, to_text(sessions.front().head.rate)));
  Comparison found;
  // Where all is the same, as it mostly is, nothing has to be measured.
  const auto [plain_a, plain_b] = render_both(versions, sessions, options, false);
  found.length = std::max(plain_a.length, plain_b.length);
  found.same = plain_a.hashes == plain_b.hashes;
  if (found.same) return found;
  const auto [a, b] = render_both({ComparedVersion{versions[0].banks}, ComparedVersion{versions[1].banks}}, sessions, options, true);
  if (a.whole->integrated() != silence && b.whole->integrated() != silence)
    found.level = b.whole->integrated().value - a.whole->integrated().value;
  for (const auto& [name, group] : a.groups)
    if (const auto other = b.groups.find(name); other != b.groups.end() && group.in > 0 && other->second.in > 0)
      if (const double change = other->second.change() - group.change(); std::abs(change) >= least_group_change)
        found.groups.push_back({name, change});
  for (const auto& [name, sound] : a.sounds) {
    const auto other = b.sounds.find(name);
    if (other == b.sounds.end()) {
      found.sounds.push_back({.name = name, .group = sound.group, .how = ComparedSound::How::missing});
      continue;
    }
    if (ComparedSound its = compare_sounds(name, sound, other->second); differs(its)) found.sounds.push_back(std::move(its));
  }
  for (const auto& [name, sound] : b.sounds)
    if (!a.sounds.contains(name)) found.sounds.push_back({.name = name, .group = sound.group, .how = ComparedSound::How::added});
  const auto size = [](const auto& its) { return std::abs(its.level); };
  std::stable_sort(found.groups.begin(), found.groups.end(), [&](const auto& x, const auto& y) { return size(x) > size(y); });
  std::stable_sort(found.sounds.begin(), found.sounds.end(),
                   [&](const auto& x, const auto& y) { return std::pair(x.how, -size(x)) < std::pair(y.how, -size(y)); });
  return found;
}

Comparison compare_files(const std::string& one, const std::string& other) {
  const std::array<Audio, 2> audio = {decode_file(one), decode_file(other)};
  if (audio[0].rate != audio[1].rate)
    throw Error(
        fmt::format("{} has {}, and {} has {}; bring them to one rate first", one, to_text(audio[0].rate), other, to_text(audio[1].rate)));
  Comparison found;
  found.same = audio[0].channels == audio[1].channels && audio[0].samples == audio[1].samples;
  std::array<SoundPrint, 2> prints = {SoundPrint(audio[0].rate), SoundPrint(audio[1].rate)};
  for (std::size_t v = 0; v < 2; ++v) {
    const auto width = static_cast<std::size_t>(audio[v].channels);
    const std::size_t all = audio[v].samples.size() / width;
    constexpr std::size_t step = 512;
    std::vector<float> left, right;
    for (std::size_t at = 0; at < all; at += step) {
      left.clear(), right.clear();
      for (std::size_t i = at; i < std::min(all, at + step); ++i)
        left.push_back(audio[v].samples[i * width]), right.push_back(audio[v].samples[i * width + (width > 1 ? 1 : 0)]);
      prints[v].add(static_cast<std::int64_t>(at), left, right);
    }
    prints[v].finish();
    found.length = std::max(found.length, Seconds{static_cast<double>(all) / audio[v].rate.value});
  }
  if (found.same) return found;
  ComparedSound its{.name = other};
  const auto first_sound = [&](std::size_t v) {
    const auto at = std::find_if(audio[v].samples.begin(), audio[v].samples.end(), [](float x) { return std::abs(x) > 0.001F; });
    return (at - audio[v].samples.begin()) / audio[v].channels;
  };
  its.timing = std::abs(first_sound(1) - first_sound(0));
  compare_prints(prints[0], prints[1], its);
  found.level = its.level;
  found.sounds.push_back(std::move(its));
  return found;
}

}  // namespace tidewater
