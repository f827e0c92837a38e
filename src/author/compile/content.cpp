#include "author/compile/content.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string_view>
#include <type_traits>
#include <utility>

#include <xxhash.h>

#include "bank/fields.hpp"
#include "bank/stored_values.hpp"

namespace tidewater {
namespace {

namespace file = bank_file;

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
  /// Never 0, which means that it is not known.
  std::uint64_t sum() const { return std::max<std::uint64_t>(XXH3_64bits_digest(state_.get()), 1); }

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

std::uint64_t hash_of(const BankClip& clip, KeptClips* kept) {
  const std::optional<std::uint64_t> known = kept == nullptr ? std::nullopt : kept->sums.find(clip);
  if (known) return *known;
  Hasher hash;
  hash.text(fmt::format("{} {} {} {}", plain_name(clip.name), clip.channels, clip.frames, clip.loop_from));
  hash.samples(clip.floats);
  hash.samples(clip.shorts);
  const std::uint64_t sum = hash.sum();
  if (kept != nullptr) kept->sums.keep(clip, sum);
  return sum;
}

/// Hashes all that designs say, by their keys. What holds without a key is left out, so that a new key changes no content that does not use
/// it.
class DesignHash {
 public:
  DesignHash(Hasher& hash, const BankData& data, std::span<const std::uint64_t> clips) : hash_(hash), data_(data), clips_(clips) {}

  template <class Design>
  void add(std::string_view what, const Design& design) {
    hash_.text(what);
    file::each_field(design, [&](std::string_view key, auto member, auto place, const auto& how) {
      using How = std::remove_cvref_t<decltype(how)>;
      const auto& value = std::invoke(member, design);
      if constexpr (std::is_same_v<How, file::List>) {
        for (const auto& item : value) add(key, item);
      } else if constexpr (!std::is_same_v<How, file::Sum>) {
        const Design standard{};
        bool always = false;
        if constexpr (std::is_same_v<How, file::NumberOf>) always = how.kind != file::Kind::scopes;
        if (value == std::invoke(member, standard) && !always) return true;
        hash_.text(key);
        add_value<std::remove_cvref_t<decltype(std::declval<file::RecordOf<Design>&>().*place)>>(value, how);
      }
      return true;
    });
    hash_.text("end");
  }

 private:
  template <class Stored, class Value, class How>
  void add_value(const Value& value, const How& how) {
    if constexpr (std::is_same_v<Value, HashedText>) {
      hash_.text(value.text);
    } else if constexpr (std::is_same_v<How, file::Words>) {
      hash_.text(value);
    } else if constexpr (std::is_same_v<How, file::GaugeName>) {
      hash_.text(value);
      for (const BankGauge& gauge : data_.gauges)
        if (gauge.name == value) add("gauge", gauge);
    } else if constexpr (std::is_same_v<How, file::NumberOf>) {
      if (how.kind == file::Kind::clips)
        hash_.bytes(&clips_[value], sizeof clips_[value]);
      else
        hash_.text(how.kind == file::Kind::groups   ? data_.groups[value].name
                   : how.kind == file::Kind::scopes ? data_.scopes[value].name
                                                    : data_.sounds[value].name);
    } else {
      Stored stored{};
      file::store(value, stored);
      hash_.bytes(&stored, sizeof stored);
    }
  }

  Hasher& hash_;
  const BankData& data_;
  std::span<const std::uint64_t> clips_;
};

}  // namespace

void note_contents(BankData& data, KeptClips* kept) {
  std::vector<std::uint64_t> clips;
  for (const BankClip& clip : data.clips) clips.push_back(hash_of(clip, kept));
  // A sound's content has the name of its group, and nothing of the group's level.
  for (BankSound& sound : data.sounds) {
    Hasher hash;
    DesignHash(hash, data, clips).add("sound", sound);
    sound.content = {hash.sum()};
  }
  Hasher hash;
  DesignHash designs(hash, data, clips);
  for (const BankGroup& group : data.groups) designs.add("group", group);
  for (const BankMood& mood : data.moods) designs.add("mood", mood);
  for (const BankGauge& gauge : data.gauges) designs.add("gauge", gauge);
  if (data.scopes != BankData().scopes)
    for (const BankScope& scope : data.scopes) designs.add("scope", scope);
  for (const BankTrait& trait : data.traits) designs.add("trait", trait);
  for (const BankSound& sound : data.sounds) hash.text(fmt::format("{:016x}", sound.content.value));
  for (const BankEvent& event : data.events) designs.add("event", event);
  hash.text(fmt::format("rate {}", data.rate.value));
  for (const std::uint64_t clip : clips) hash.text(fmt::format("{:016x}", clip));
  data.content = {hash.sum()};
}

std::uint64_t content_of_patch(const BankData& data) {
  Hasher hash;
  hash.text(fmt::format("patch {} {}", data.name, data.priority));
  for (const BankBase& base : data.bases) hash.text(fmt::format("{} {}", base.name, base.content.value));
  for (const BankSound& sound : data.sounds) hash.text(fmt::format("{} {}", sound.name, sound.content.value));
  DesignHash designs(hash, data, {});
  for (const BankEvent& event : data.events) designs.add("event", event);
  return hash.sum();
}

}  // namespace tidewater
