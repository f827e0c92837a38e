#include "author/compile/content.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <span>
#include <string_view>

#include <xxhash.h>

namespace tidewater {
namespace {

class Hasher {
 public:
  Hasher() { XXH3_64bits_reset(state_.get()); }

  void bytes(const void* from, std::size_t count) { XXH3_64bits_update(state_.get(), from, count); }
  template <class Sample>
  void samples(std::span<const Sample> its) {
    bytes(its.data(), its.size_bytes());
  }
  /// With its end, so that two texts are never one.
  void text(std::string_view its) {
    bytes(its.data(), its.size());
    bytes("", 1);
  }
  std::uint64_t sum() const { return XXH3_64bits_digest(state_.get()); }

 private:
  struct Free {
    void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
  };
  std::unique_ptr<XXH3_state_t, Free> state_{XXH3_createState()};
};

/// A clip's name without its ending: the same samples may come in another file.
std::string_view plain_name(std::string_view name) {
  const auto dot = name.rfind('.');
  return dot == std::string_view::npos || name.find('/', dot) != std::string_view::npos ? name : name.substr(0, dot);
}

std::uint64_t hash_of(const BankClip& clip) {
  Hasher hash;
  hash.text(fmt::format("{} {} {} {}", plain_name(clip.name), clip.channels, clip.frames, clip.loop_from));
  hash.samples(clip.floats);
  hash.samples(clip.shorts);
  return hash.sum();
}

template <class Unit>
std::string text_of(const Range<Unit>& range) {
  return fmt::format("{}..{}", range.low.value, range.high.value);
}

void add(Hasher& hash, const WorldDesign& its) {
  hash.text(fmt::format("world {} {} {} {} {} {} {} {}", its.full_within.value, its.silent_from.value, its.radius.value,
                        static_cast<int>(its.falloff), its.rolloff, its.doppler, its.air, static_cast<int>(its.when_gone)));
  hash.text(fmt::format("cone {} {} {}", its.cone.inner.value, its.cone.outer.value, its.cone.outside.value));
  for (const FalloffPoint& point : its.points) hash.text(fmt::format("{} {}", point.at.value, point.level.value));
}

void add(Hasher& hash, const std::vector<BankGauge>& gauges, const std::vector<FollowDesign>& follow) {
  for (const FollowDesign& its : follow) {
    hash.text(fmt::format("follow {} {}", its.gauge, static_cast<int>(its.between)));
    for (const BankGauge& gauge : gauges)
      if (gauge.name == its.gauge) hash.text(fmt::format("{} {} {} {}", gauge.from, gauge.to, gauge.initial, gauge.smoothing.value));
    for (const CurveDesign& curve : its.curves) {
      hash.text(fmt::format("curve {}", static_cast<int>(curve.bends)));
      for (const CurvePoint& point : curve.points) hash.text(fmt::format("{} {}", point.gauge, point.value));
    }
  }
}

/// What is heard of a sound, but for the levels of its groups.
std::uint64_t hash_of(const BankData& data, const BankSound& sound, const std::vector<std::uint64_t>& clips) {
  Hasher hash;
  std::string together;
  for (const bool its : sound.together) together += its ? '1' : '0';
  hash.text(
      fmt::format("sound {} {} {}", sound.name, data.groups[sound.group].name, sound.quality ? static_cast<int>(*sound.quality) : -1));
  hash.text(fmt::format("{} {} {} {} {} {}", text_of(sound.gain), text_of(sound.pitch), text_of(sound.pan), text_of(sound.delay),
                        text_of(sound.low_pass), sound.high_pass.value));
  hash.text(fmt::format("{} {} {} {} {} {} {}", sound.towards_middle, together, sound.each_emitter, static_cast<int>(sound.retrigger),
                        sound.spacing.value, sound.limit, static_cast<int>(sound.when_full)));
  hash.text(fmt::format("{} {} {} {}", sound.limit_each_emitter, sound.rank, sound.fade_in.value, sound.fade_out.value));
  if (sound.cadence.high > Seconds{}) hash.text("cadence " + text_of(sound.cadence));
  if (sound.world.place == Where::world) add(hash, sound.world);
  add(hash, data.gauges, sound.follow);
  for (const BankLayer& layer : sound.layers) {
    hash.text(
        fmt::format("layer {} {} {} {} {}", layer.name, static_cast<int>(layer.pick), layer.loop, layer.start_anywhere, layer.chance));
    hash.text(fmt::format("{} {} {} {}", text_of(layer.gain), text_of(layer.pitch), text_of(layer.delay), text_of(layer.start_at)));
    add(hash, data.gauges, layer.follow);
    for (const HashedText& trait : layer.by) hash.text(trait.text);
    for (const BankChoice& choice : layer.choices) {
      hash.text("choice");
      for (const HashedText& value : choice.values) hash.text(value.text);
      for (const BankClipUse& use : choice.clips) hash.text(fmt::format("{:016x} {} {}", clips[use.clip], use.weight, use.trim.value));
    }
  }
  return std::max<std::uint64_t>(hash.sum(), 1);
}

void add(Hasher& hash, const BankData& data, const BankEvent& event) {
  hash.text("event " + event.name);
  for (const BankResponse& response : event.responses)
    hash.text(fmt::format("{} {} {} {}", static_cast<int>(response.verb), data.sounds[response.target].name, response.delay.value,
                          response.time.value));
}

}  // namespace

void note_contents(BankData& data) {
  std::vector<std::uint64_t> clips;
  for (const BankClip& clip : data.clips) clips.push_back(hash_of(clip));
  for (BankSound& sound : data.sounds) sound.content = {hash_of(data, sound, clips)};
  Hasher hash;
  for (const BankGroup& group : data.groups)
    hash.text(fmt::format("group {} {} {} {} {} {}", group.name, data.groups[group.parent].name, group.gain.value, group.muted,
                          group.low_pass.value, group.high_pass.value));
  for (const BankSound& sound : data.sounds) hash.text(fmt::format("{:016x}", sound.content.value));
  for (const BankEvent& event : data.events) add(hash, data, event);
  hash.text(fmt::format("rate {}", data.rate.value));
  for (const std::uint64_t clip : clips) hash.text(fmt::format("{:016x}", clip));
  data.content = {std::max<std::uint64_t>(hash.sum(), 1)};
}

std::uint64_t content_of_patch(const BankData& data) {
  Hasher hash;
  hash.text(fmt::format("patch {} {}", data.name, data.priority));
  for (const BankBase& base : data.bases) hash.text(fmt::format("{} {}", base.name, base.content.value));
  for (const BankSound& sound : data.sounds) hash.text(fmt::format("{} {}", sound.name, sound.content.value));
  for (const BankEvent& event : data.events) add(hash, data, event);
  return std::max<std::uint64_t>(hash.sum(), 1);
}

}  // namespace tidewater
