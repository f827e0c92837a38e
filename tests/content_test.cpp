#include <catch2/catch.hpp>
#include <functional>
#include <set>
#include <type_traits>

#include "author/compile/content.hpp"
#include "bank/bank_data.hpp"
#include "bank/fields.hpp"
#include "stage.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/open_bank.hpp"

using namespace tidewater;
using namespace tidewater::testing;

namespace {

namespace file = bank_file;

/// A bank that has at least one of everything that can be described, and two of what others have the numbers of.
BankData one_of_each() {
  BankData data;
  data.name = "bank";
  data.rate = {48000};
  for (const char* name : {"a.wav", "b.wav"}) data.clips.push_back(make_clip(name, 1, std::vector<float>(100, 0.25F)));
  data.groups.resize(3);
  data.groups[0].name = "master";
  data.groups[1].name = "near";
  data.groups[2].name = "far";
  data.scopes.resize(3);
  data.scopes[1].name = "world";
  data.scopes[2].name = "menu";
  data.gauges.resize(1);
  data.gauges[0].name = "wind";
  data.gauges[0].to = 2;
  data.traits = {{"floor", {"wood", "stone"}}};
  data.sounds.resize(2);
  for (BankSound& sound : data.sounds) {
    sound.world.place = Where::world;
    sound.world.falloff = Falloff::points;
    sound.world.points = {{{1}, {0}}, {{9}, {-20}}};
    sound.world.cone = {{90}, {180}, {-6}};
    sound.follow = {{"wind", Between::linear, {{Bends::gain, {{0, -10}, {1, 0}}}}}};
    sound.layers.resize(1);
    sound.layers[0].name = "layer";
    sound.layers[0].by = {"floor"};
    sound.layers[0].follow = sound.follow;
    sound.layers[0].choices.resize(1);
    sound.layers[0].choices[0].values = {"wood"};
    sound.layers[0].choices[0].clips = {{0, 1, {}, 1}, {1, 1, {}, 1}};
  }
  data.sounds[0].name = "one";
  data.sounds[1].name = "two";
  BankSound& tune = data.sounds.emplace_back(data.sounds[1]);
  tune.name = "tune";
  tune.world = {};
  tune.layers[0].choices[0].clips.resize(1);
  BankTrack& track = tune.track.emplace_back();
  track.stand = "hall";
  track.tempo = {97};
  track.first_beat = {0.5};
  track.parts = {{"opening", 2, false}, {"round", 4, true}};
  track.goes_on = true;
  track.ending = "last";
  track.stop_after = {40};
  track.stop_after_bars = 16;
  track.changes = {{"two", On::bar, By::bridge, {}, "rise"}, {"", On::beat, By::cross, {2}, ""}};
  track.rate = {48000};
  track.frames = 90;
  track.loop_from = 20;
  track.loops = true;
  data.events.resize(1);
  data.events[0].name = "event";
  data.events[0].responses.resize(2);
  BankResponse& raise = data.events[0].responses[1];
  raise.verb = Verb::raise;
  raise.name = "event";
  raise.when = {{"floor", "wood"}, {"floor", "stone"}};
  data.events[0].responses[0].when = {{"floor", "wood"}};
  for (BankResponse& response : data.events[0].responses) response.delay = {{1}, {4}};
  return data;
}

// Another value, which the bank's reader accepts, too.

void change(bool& value, const file::Flag&) { value = !value; }
template <class T, class How>
requires std::is_arithmetic_v<T>
void change(T& value, const How&) {
  value = static_cast<T>(value == T{} ? 1 : std::is_floating_point_v<T> ? static_cast<double>(value) / 2 : 0);
}
template <class Enum>
requires std::is_enum_v<Enum>
void change(Enum& value, const file::Word&) { value = static_cast<Enum>(value == Enum{} ? 1 : 0); }
template <class Enum>
void change(std::optional<Enum>& value, const file::Word&) {
  value = value ? std::nullopt : std::optional(Enum{});
}
template <std::size_t count>
void change(std::array<bool, count>& value, const file::Bits&) {
  value[count - 1] = !value[count - 1];
}
template <class Quantity, class How>
requires requires(Quantity q) { q.value; }
void change(Quantity& value, const How&) { value.value = static_cast<decltype(value.value)>(value.value == 0 ? 1 : value.value / 2); }
template <class Quantity, class How>
void change(Range<Quantity>& value, const How& how) {
  change(value.high, how);
}
void change(std::string& value, const file::Words&) { value += "-2"; }
void change(HashedText& value, const file::Words&) { value = HashedText(value.text + "-2"); }
void change(std::string& value, const file::GaugeName&) { value = "height"; }

/// Calls `changed(data, what)` with the bank after each change of a single field, which is taken back afterwards.
template <class Changed>
class EachChange {
 public:
  EachChange(BankData& data, Changed changed) : data_(data), changed_(changed) {}

  template <class Design>
  void in(Design& design, const std::string& what) {
    file::each_field(design, [&](std::string_view key, auto member, auto, const auto& how) {
      using How = std::remove_cvref_t<decltype(how)>;
      auto& value = std::invoke(member, design);
      const std::string where = what + ", " + std::string(key);
      if constexpr (std::is_same_v<How, file::List>) {
        for (auto& item : value) in(item, where);
        if (value.empty()) return true;
        const auto before = value;
        value.pop_back();
        if (value.size() >= how.least) changed_(where + " with one less");
        value = before;
      } else if constexpr (!std::is_same_v<How, file::Sum>) {
        const auto before = value;
        change(value, how);
        changed_(where);
        value = before;
      }
      return true;
    });
  }
  void everywhere() {
    for (std::size_t g = 1; g < data_.groups.size(); ++g) in(data_.groups[g], "group " + data_.groups[g].name);
    for (std::size_t s = 1; s < data_.scopes.size(); ++s) in(data_.scopes[s], "scope " + data_.scopes[s].name);
    for (BankGauge& gauge : data_.gauges) in(gauge, "gauge");
    for (BankTrait& trait : data_.traits) in(trait, "trait");
    for (BankSound& sound : data_.sounds) in(sound, "sound " + sound.name);
    for (BankEvent& event : data_.events) in(event, "event");
  }

 private:
  BankData& data_;
  Changed changed_;
};

/// Whether two designs are alike in every field that is described.
template <class Design>
bool alike(const Design& a, const Design& b) {
  return file::each_field(a, [&](std::string_view key, auto member, auto, const auto& how) {
    const auto &x = std::invoke(member, a), &y = std::invoke(member, b);
    if constexpr (std::is_same_v<std::remove_cvref_t<decltype(how)>, file::List>) {
      return std::equal(x.begin(), x.end(), y.begin(), y.end(), [](const auto& one, const auto& other) { return alike(one, other); });
    } else {
      INFO(key);
      CHECK(x == y);
      return x == y;
    }
  });
}

template <class Design>
bool all_alike(const std::vector<Design>& a, const std::vector<Design>& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const Design& x, const Design& y) { return alike(x, y); });
}

}  // namespace

TEST_CASE("a change of any field of any design changes a bank's content, and every change differs from every other") {
  BankData data = one_of_each();
  note_contents(data);
  std::set<std::uint64_t> contents = {data.content.value};
  std::size_t changes = 0;
  EachChange(data, [&](const std::string& what) {
    INFO(what);
    note_contents(data);
    CHECK(contents.insert(data.content.value).second);
    ++changes;
  }).everywhere();
  CHECK(changes > 150);
  note_contents(data);
  CHECK(contents.contains(data.content.value));  // all of them were taken back
}

TEST_CASE("a bank file gives back any field of any design as it was") {
  const Folder folder;
  BankData data = one_of_each();
  std::size_t changes = 0;
  const auto round_trip = [&](const std::string& what) {
    INFO(what);
    note_contents(data);
    write_bank(bank_of(std::make_shared<BankData>(data)), folder.path("one.tidebank"));
    const Read<Bank> read = read_bank(folder.path("one.tidebank"));
    INFO(read.problem);
    // A change may be one that no book can say, and the reader refuses it.
    if (!read.value) {
      CHECK(read.problem.find("damaged") != std::string::npos);
      return;
    }
    ++changes;
    const BankData& back = data_of(*read.value);
    CHECK(all_alike(data.groups, back.groups));
    CHECK(all_alike(data.scopes, back.scopes));
    CHECK(all_alike(data.gauges, back.gauges));
    CHECK(all_alike(data.sounds, back.sounds));
    CHECK(all_alike(data.events, back.events));
  };
  round_trip("unchanged");
  EachChange(data, round_trip).everywhere();
  CHECK(changes > 140);
}
