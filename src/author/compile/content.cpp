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

/// What of a sound is heard, as its book says it.
void add(Hasher& hash, const BookSound& sound) {
  hash.text("sound " + sound.name);
  for (const auto& setting : sound.settings)
    if (setting.key != "preload") hash.text(setting.key + " = " + setting.value);  // which nobody hears
}

void add(Hasher& hash, const BankClip& clip) {
  hash.text(fmt::format("{} {} {} {}", clip.name, clip.channels, clip.frames, clip.loop_from));
  hash.samples(clip.floats);
  hash.samples(clip.shorts);
}

}  // namespace

std::uint64_t content_of(const Book& book, const BankData& data) {
  Hasher hash;
  for (const BookGroup& group : book.groups)
    hash.text(fmt::format("group {} {} {} {} {} {} {} {}", group.name, group.parent, group.gain.value, group.muted, group.low_pass.value,
                          group.high_pass.value, group.quality ? static_cast<int>(*group.quality) : -1,
                          group.level.value_or(silence).value));
  for (const BookSound& sound : book.sounds) add(hash, sound);
  for (const BookEvent& event : book.events) {
    hash.text("event " + event.name);
    for (const auto& response : event.responses)
      hash.text(fmt::format("{} {} {} {}", static_cast<int>(response.kind), response.sound, response.delay.value, response.fade.value));
  }
  hash.text(fmt::format("clips {} {}", data.rate.value, book.level.value_or(silence).value));
  for (const BankClip& clip : data.clips) add(hash, clip);
  return std::max<std::uint64_t>(hash.sum(), 1);
}

std::uint64_t content_of_patch(const BankData& data) {
  Hasher hash;
  hash.text(fmt::format("patch {} {}", data.name, data.priority));
  for (const BankBase& base : data.bases) hash.text(fmt::format("{} {}", base.name, base.content.value));
  for (const BankSound& sound : data.sounds) hash.text(fmt::format("{} {}", sound.name, sound.content.value));
  for (const BankEvent& event : data.events) {
    hash.text("event " + event.name);
    for (const BankResponse& response : event.responses)
      hash.text(fmt::format("{} {} {} {}", static_cast<int>(response.kind), data.sounds[response.sound].name, response.delay.value,
                            response.fade.value));
  }
  return std::max<std::uint64_t>(hash.sum(), 1);
}

std::vector<std::uint64_t> contents_of_sounds(const Book& book, const BankData& data) {
  std::vector<std::uint64_t> clips, sounds;
  for (const BankClip& clip : data.clips) {
    Hasher hash;
    add(hash, clip);
    clips.push_back(hash.sum());
  }
  for (std::size_t s = 0; s < book.sounds.size(); ++s) {
    const BankSound& made = data.sounds[s];
    Hasher hash;
    add(hash, book.sounds[s]);
    hash.text(fmt::format("{} {}", data.groups[made.group].name, made.quality ? static_cast<int>(*made.quality) : -1));
    for (const BankLayer& layer : made.layers)
      for (const BankChoice& choice : layer.choices)
        for (const BankClipUse& use : choice.clips) hash.text(fmt::format("{} {} {}", clips[use.clip], use.weight, use.trim.value));
    sounds.push_back(std::max<std::uint64_t>(hash.sum(), 1));
  }
  return sounds;
}

}  // namespace tidewater
