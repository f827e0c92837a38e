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

}  // namespace

std::uint64_t content_of(const Book& book, const BankData& data) {
  Hasher hash;
  for (const BookGroup& group : book.groups)
    hash.text(fmt::format("group {} {} {} {} {} {} {} {}", group.name, group.parent, group.gain.value, group.muted, group.low_pass.value,
                          group.high_pass.value, group.quality ? static_cast<int>(*group.quality) : -1,
                          group.level.value_or(silence).value));
  for (const BookSound& sound : book.sounds) {
    hash.text("sound " + sound.name);
    for (const auto& setting : sound.settings)
      if (setting.key != "preload") hash.text(setting.key + " = " + setting.value);  // which nobody hears
  }
  for (const BookEvent& event : book.events) {
    hash.text("event " + event.name);
    for (const auto& response : event.responses)
      hash.text(fmt::format("{} {} {} {}", static_cast<int>(response.kind), response.sound, response.delay.value, response.fade.value));
  }
  hash.text(fmt::format("clips {} {}", data.rate.value, book.level.value_or(silence).value));
  for (const BankClip& clip : data.clips) {
    hash.text(fmt::format("{} {} {} {}", clip.name, clip.channels, clip.frames, clip.loop_from));
    hash.samples(clip.floats);
    hash.samples(clip.shorts);
  }
  return std::max<std::uint64_t>(hash.sum(), 1);
}

}  // namespace tidewater
