#include "bank/turned_design.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "bank/bank_blocks.hpp"
#include "bank/bank_table.hpp"
#include "bank/read_designs.hpp"
#include "base/base64.hpp"
#include "base/fail.hpp"
#include "media/bytes.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {
namespace {

constexpr std::size_t longest_design = std::size_t{64} << 10;

/// Whether the layers have the same clips in the same lists.
bool same_clips(const BankLayer& a, const BankLayer& b) {
  return a.loop == b.loop && a.by == b.by &&
         std::equal(
             a.choices.begin(), a.choices.end(), b.choices.begin(), b.choices.end(), [](const BankChoice& one, const BankChoice& other) {
               return one.values == other.values && std::equal(one.clips.begin(), one.clips.end(), other.clips.begin(), other.clips.end(),
                                                               [](const BankClipUse& x, const BankClipUse& y) { return x.clip == y.clip; });
             });
}

/// Whether the same gauges are followed, in the same order, by boundaries of the same kind.
bool same_gauges(const std::vector<FollowDesign>& a, const std::vector<FollowDesign>& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](const FollowDesign& one, const FollowDesign& other) { return one.gauge == other.gauge && one.on == other.on; });
}

/// The number of a name among those of a bank.
template <class Item>
std::optional<std::uint32_t> number_in(const std::vector<Item>& items, const std::string& name) {
  const auto found = std::find_if(items.begin(), items.end(), [&](const Item& item) { return item.name == name; });
  if (found == items.end()) return std::nullopt;
  return static_cast<std::uint32_t>(found - items.begin());
}

Read<BankSound> read_bytes(std::span<const std::byte> bytes, const BankData& bank) {
  const BankSource source{bytes.size(), [bytes](std::uint64_t at, std::span<std::byte> to) {
                            std::copy_n(bytes.begin() + static_cast<std::ptrdiff_t>(at), to.size(), to.begin());
                            return true;
                          }};
  BankTable table("the turned design", [source] { return bytes_of(source); });
  std::span<const char> texts;
  BankData alone;
  if (!table.read() || !table.section(bank_file::Kind::texts, texts) || !DesignReader(table, texts, bank.clips.size()).read(alone))
    return {std::nullopt, table.problem()};
  if (alone.sounds.size() != 1) return {std::nullopt, "the turned design is not of one sound"};
  BankSound sound = std::move(alone.sounds.front());
  const auto group = number_in(bank.groups, alone.groups[sound.group].name);
  if (!group) return {std::nullopt, fmt::format("the bank has no group '{}'", alone.groups[sound.group].name)};
  const auto scope = number_in(bank.scopes, alone.scopes[sound.scope].name);
  if (!scope) return {std::nullopt, fmt::format("the bank has no scope '{}'", alone.scopes[sound.scope].name)};
  sound.group = *group;
  sound.scope = *scope;
  return {std::move(sound), {}};
}

}  // namespace

std::string needs_reload(const BankSound& now, const BankSound& turned) {
  const char* what = nullptr;
  if (now.name != turned.name)
    what = "its name";
  else if (now.layers.size() != turned.layers.size())
    what = "the number of its layers";
  else if (!std::equal(now.layers.begin(), now.layers.end(), turned.layers.begin(), same_clips))
    what = "its clips";
  else if (now.group != turned.group)
    what = "its group";
  else if (now.scope != turned.scope)
    what = "its scope";
  else if (now.world.place != turned.world.place)
    what = "its place";
  else if (now.track.size() != turned.track.size())
    what = "whether it is a track";
  else if ((now.cadence.high > Seconds{}) != (turned.cadence.high > Seconds{}))
    what = "whether it has a cadence";
  else if (now.each_emitter != turned.each_emitter || now.limit_each_emitter != turned.limit_each_emitter)
    what = "what counts for each emitter";
  else if (!same_gauges(now.follow, turned.follow) ||
           !std::equal(now.layers.begin(), now.layers.end(), turned.layers.begin(),
                       [](const BankLayer& a, const BankLayer& b) { return same_gauges(a.follow, b.follow); }))
    what = "the gauges that it follows";
  return what == nullptr ? std::string()
                         : fmt::format("{} of '{}' is other than in the loaded bank; compile the book and reload it", what, now.name);
}

Read<BankSound> read_turned_design(std::string_view text, const BankData& bank, const BankSound& now) {
  if (text.size() > longest_design)
    return {std::nullopt, fmt::format("the turned design has {} bytes; {} are the most", text.size(), longest_design)};
  const auto bytes = from_base64(text);
  if (!bytes) return {std::nullopt, "the turned design is not base64"};
  Read<BankSound> sound;
  if (const std::string thrown = problem_of([&] { return sound = read_bytes(*bytes, bank), std::string(); }); !thrown.empty())
    return {std::nullopt, thrown};
  if (!sound.value) return sound;
  sound.value->track = now.track;  // its timing stays
  sound.value->content = now.content;
  if (std::string why = needs_reload(now, *sound.value); !why.empty()) return {std::nullopt, std::move(why)};
  return sound;
}

}  // namespace tidewater
