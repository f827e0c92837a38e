/// Gauges: where they are set, and what follows them.

#include <algorithm>
#include <cmath>
#include <memory>
#include <utility>

#include "play/asking.hpp"
#include "play/control.hpp"

namespace tidewater {

Outcome Control::carry_out(const asked::SetGauge& its, const Beside&) {
  const std::uint32_t gauge = drive.gauges.names().find(its.gauge);
  if (gauge == Numbers::none) return decide(Outcome::unknown_gauge, {}, {.code = Reason::Code::unknown_gauge, .name = its.gauge.text()});
  drive.gauges.set(gauge, its.value);
  return Outcome::done;
}

void Control::know_gauges(const BankData& data) {
  for (const BankGauge& gauge : data.gauges)
    if (const std::uint32_t number = drive.gauges.add(gauge.name, gauge); number != Numbers::none)
      world.emitters.know_gauge(number, Name(gauge.name), gauge);
}

void Control::follow_gauges(LiveBank& bank) const {
  const Numbers::Plan plan = drive.gauges.names().plan(names_of(bank.data->gauges));
  const auto number = [&](Name name) {
    for (std::size_t g = 0; g < plan.numbers.size(); ++g)
      if (same_name(name, bank.data->gauges[g].name)) return plan.numbers[g];
    return drive.gauges.names().find(name);
  };
  for (LiveSound& sound : bank.sounds) {
    auto following = std::make_unique<const Following>(*sound.design, number);
    if (!following->empty()) sound.following = std::move(following);
  }
}

namespace {

/// The game's gauges that the sounds of an event follow, a bit for each.
std::uint64_t followed_by(const Catalogue::Event& event) {
  std::uint64_t gauges = 0;
  each_started_sound(*event.design, [&](std::uint32_t sound) {
    const Following* following = event.bank->sounds[sound].following.get();
    if (following == nullptr) return;
    for (const Following::Gauge& gauge : following->gauges())
      if (!gauge.ready) gauges |= std::uint64_t{1} << gauge.number;
  });
  return gauges;
}

}  // namespace

void Control::fill_in_gauges(asked::Raise& raise) {
  if (!world.emitters.any_gauges()) return;
  const Catalogue::Event* event = loaded.catalogue()->find(raise.event);
  std::uint64_t asked = event == nullptr ? 0 : followed_by(*event);
  if (asked == 0) return;
  drive.said.clear();
  const std::lock_guard lock(world.emitters.mutex());
  for (std::uint32_t gauge = 0; asked != 0; ++gauge, asked >>= 1U)
    if ((asked & 1) != 0)
      if (const double value = world.emitters.gauge(gauge, raise.emitter); value != Emitters::untold)
        drive.said.push_back({drive.gauges.names().name(gauge), value});
  raise.gauges = drive.said;
}

void Control::keep_gauges(const asked::Raise& raise, const Catalogue::Event& event) {
  std::uint64_t asked = followed_by(event);
  for (std::uint32_t gauge = 0; asked != 0; ++gauge, asked >>= 1U) {
    if ((asked & 1) == 0) continue;
    double value = Followers::untold;
    for (const GaugeValue& said : raise.gauges)
      if (same_name(said.gauge, drive.gauges.names().name(gauge))) value = said.value;
    if (world.adopts) world.emitters.adopt_gauge(gauge, raise.emitter, value);
    drive.followers.keep(raise.emitter, gauge, value);
  }
}

/// What a start goes by as it begins.
Followers::Follower Control::follower_of(const LiveSound& sound, PlaybackId id, const Happening& happening, bool in_world) {
  Followers::Follower follower;
  follower.following = sound.following.get();
  follower.start.id = id;
  if (happening.at && has_room_for(happening.emitter)) follower.emitter = happening.emitter;  // else there is none yet, or no more
  follower.in_world = in_world;
  follower.kept.fill(Followers::untold);
  if (happening.beat_of != nullptr)
    if (const Followers::Follower* its = drive.followers.find(happening.beat_of->start)) {
      follower.emitter = its->emitter;
      follower.kept = its->kept;
      return follower;
    }
  const std::span<const Following::Gauge> gauges = follower.following->gauges();
  for (const GaugeValue& said : happening.gauges)
    for (std::size_t k = 0; k < gauges.size(); ++k)
      if (!gauges[k].ready && gauges[k].number == drive.gauges.names().find(said.gauge)) follower.kept[k] = said.value;
  return follower;
}

/// What the ready gauges are for something in the world that is heard from there, or on the screen.
Control::ReadyValues Control::ready_values(const HeardFrom* from) const {
  ReadyValues ready{};
  if (from != nullptr) {
    std::copy(from->gauges.begin(), from->gauges.end(), ready.begin());
  } else if (const auto ears = world.listeners.ears(); !ears.empty()) {
    const Whereabouts& at = ears.front().at;
    const Vector v = velocity_of(at);
    const auto square = [](float part) { return static_cast<double>(part) * static_cast<double>(part); };
    ready[static_cast<std::size_t>(ReadyGauge::speed)] = std::sqrt(square(v.x) + square(v.y) + square(v.z));
    ready[static_cast<std::size_t>(ReadyGauge::height)] = place_of(at).y;
  }
  return ready;
}

/// Those that begin to be heard, or may.
void Control::bend_now(LiveStart& start, const HeardFrom* from) {
  Followers::Follower* its = drive.followers.find(start.ref());
  if (its == nullptr) return;
  its->smooth.fill(Followers::untold);
  bend(start, *its, Followers::now(*its, drive.gauges, ready_values(from)));
}

void Control::bend(LiveStart& start, const Followers::Follower& follower, const Following::Values& values) {
  Voices::each_layer(start, [&](LiveLayer& layer) {
    const auto which = static_cast<std::size_t>(layer.design - start.sound->design->layers.data());
    voices.bend_to(layer, follower.following->bend(which, values, follower.in_world));
  });
}

/// What is open to an update of gauges while it listens.
void Control::open_gauges() {
  drive.kept.clear();
  drive.followers.begin(drive.gauges);
  if (!drive.followers.empty()) {
    drive.voiced.clear();
    for (const VoicedLayer& layer : world.voiced)
      if (layer.sound->loaded->following != nullptr) drive.voiced.push_back(layer.start);
    drive.followers.hear(drive.voiced);
  }
  const auto kinds = world.earshot.kinds();
  for (std::uint32_t kind = 0; kind < kinds.size() && kind < world.following.size(); ++kind)
    if (const Following* following = world.following[kind]; following != nullptr && kinds[kind].count > 0)
      kinds[kind].bent = Followers::louder_for_all(*following, drive.gauges);
}

/// Without the lock: what emitters say now of those that are heard, or may be at any time.
void Control::read_gauges() {
  drive.followers.each_heard([this](Followers::Follower& its) { read_gauges_of(its); });
}

void Control::read_gauges_of(Followers::Follower& follower) {
  const std::lock_guard lock(world.emitters.mutex());
  drive.followers.read(
      follower, [this](std::uint32_t gauge, Emitter emitter) { return world.emitters.gauge(gauge, emitter); },
      [this](Emitter emitter, std::uint32_t gauge, double value) {
        drive.kept.push_back({emitter, gauge, value});
      });
}

/// Of one that is near enough to be heard.
std::optional<Level> Control::louder_by_emitter(StartRef start) {
  Followers::Follower* its = drive.followers.find(start);
  if (its == nullptr) return std::nullopt;
  read_gauges_of(*its);
  return drive.followers.louder_by_emitter(*its);
}

/// What is heard goes on its way to where its gauges are.
void Control::follow_on() {
  drive.followers.end();
  const Seconds time = voices.since_before();
  drive.gauges.step(time);
  if (drive.followers.empty()) return;
  LiveStart* before = nullptr;
  for (const VoicedLayer& voiced : world.voiced) {
    if (voiced.sound->loaded->following == nullptr) continue;
    LiveLayer* layer = voices.layer_on(voiced);
    if (layer == nullptr || layer->start == before || !layer->start->in_world) continue;
    before = layer->start;
    if (Followers::Follower* its = drive.followers.find(voiced.start))
      bend(*before, *its, drive.followers.values(*its, drive.gauges, ready_values(heard_now(voiced)), time.value));
  }
  const ReadyValues ready = ready_values(nullptr);
  drive.followers.each_on_screen([&](Followers::Follower& its) {
    if (LiveStart* start = voices.find(its.start)) bend(*start, its, drive.followers.values(its, drive.gauges, ready, time.value));
  });
  for (const HeardStart& near : world.near)
    if (LiveStart* start = voices.find(near.start)) bend_now(*start, near.from);
}

void Control::tell_of_unknown(Name gauge) {
  constexpr std::size_t most_told = 16;
  const std::lock_guard lock(mutex);
  if (drive.told.size() == most_told || std::find(drive.told.begin(), drive.told.end(), gauge.hash()) != drive.told.end()) return;
  drive.told.push_back(gauge.hash());
  tell({.code = Reason::Code::unknown_gauge, .name = notebook.keep(gauge.text())});
}

}  // namespace tidewater
