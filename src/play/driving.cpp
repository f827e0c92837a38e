#include "play/driving.hpp"

#include <algorithm>
#include <cmath>
#include <memory>
#include <utility>

namespace tidewater {

Driving::Driving(std::size_t starts, Listening& listening, Voices& voices, Noting& noting)
    : cadences(starts), listening_(listening), voices_(voices), noting_(noting) {}

namespace {

std::unique_ptr<const Following> following_by(const Gauges& gauges, const Numbers::Plan& plan, const BankSound& design,
                                              const BankData& bank) {
  auto following = std::make_unique<const Following>(design, [&](Name name) {
    for (std::size_t g = 0; g < plan.numbers.size(); ++g)
      if (same_name(name, bank.gauges[g].name)) return plan.numbers[g];
    return gauges.names().find(name);
  });
  return following->empty() ? nullptr : std::move(following);
}

}  // namespace

void Driving::follow(LiveBank& bank) const {
  const Numbers::Plan plan = gauges.names().plan(names_of(bank.data->gauges));
  for (LiveSound& sound : bank.sounds) sound.following = following_by(gauges, plan, *sound.design, *bank.data);
}

std::unique_ptr<const Following> Driving::following_of(const BankSound& design, const BankData& bank) const {
  return following_by(gauges, gauges.names().plan(names_of(bank.gauges)), design, bank);
}

namespace {

/// Returns a bit for each of the game's gauges that sounds of the event, or of events that it raises, follow.
std::uint64_t followed_by(const Catalogue& catalogue, const Catalogue::Event& event) {
  std::uint64_t gauges = 0;
  catalogue.each_raised(event, [&](const Catalogue::Event& its) {
    each_started_sound(*its.design, [&](std::uint32_t sound) {
      const Following* following = its.bank->sounds[sound].following.get();
      if (following == nullptr) return;
      for (const Following::Gauge& gauge : following->gauges())
        if (!gauge.ready) gauges |= std::uint64_t{1} << gauge.number;
    });
  });
  return gauges;
}

}  // namespace

void Driving::fill_in(asked::Raise& raise, const Catalogue& catalogue, const Catalogue::Event& event, Values& values) const {
  std::uint64_t asked = followed_by(catalogue, event);
  if (asked == 0) return;
  const std::lock_guard lock(listening_.emitters.mutex());
  for (std::uint32_t gauge = 0; asked != 0; ++gauge, asked >>= 1U)
    if ((asked & 1) != 0)
      if (const double value = listening_.emitters.gauge(gauge, raise.emitter); value != Emitters::untold)
        values.emplace_back(Name(gauges.names().name(gauge)), value);
  raise.gauges = std::span<const GaugeValue>(values.begin(), values.size());
}

void Driving::set_of_emitter(Emitter emitter, std::uint32_t gauge, double value) {
  followers.keep(emitter, gauge, listening_.emitters.set_gauge(gauge, emitter, value));
}

void Driving::keep(const asked::Raise& raise, const Catalogue& catalogue, const Catalogue::Event& event) {
  std::uint64_t asked = followed_by(catalogue, event);
  for (std::uint32_t gauge = 0; asked != 0; ++gauge, asked >>= 1U) {
    if ((asked & 1) == 0) continue;
    double value = Followers::untold;
    for (const GaugeValue& said : raise.gauges)
      if (same_name(said.gauge, gauges.names().name(gauge))) value = said.value;
    if (listening_.adopts) listening_.emitters.adopt_gauge(gauge, raise.emitter, value);
    followers.keep(raise.emitter, gauge, value);
  }
}

/// Returns the gauges that a new start follows, with their present values.
Followers::Follower Driving::follower_of(const LiveSound& sound, PlaybackId id, const Happening& happening, bool in_world) {
  Followers::Follower follower;
  follower.following = sound.following.get();
  follower.start.id = id;
  if (happening.at && listening_.has_room_for(happening.emitter))
    follower.emitter = happening.emitter;  // else there is none yet, or no more
  follower.in_world = in_world;
  follower.kept.fill(Followers::untold);
  follower.until_boundary.fill(Followers::untold);
  if (happening.beat_of != nullptr)
    if (const Followers::Follower* its = followers.find(happening.beat_of->start)) {
      follower.emitter = its->emitter;
      follower.kept = its->kept;
      return follower;
    }
  const std::span<const Following::Gauge> follows = follower.following->gauges();
  for (const GaugeValue& said : happening.gauges)
    for (std::size_t k = 0; k < follows.size(); ++k)
      if (!follows[k].ready && follows[k].number == gauges.names().find(said.gauge)) follower.kept[k] = said.value;
  return follower;
}

Reason Driving::why_silent(const LiveLayer& layer) {
  Reason why{.code = Reason::Code::silent_by_gauge};
  const LiveStart& start = *layer.start;
  const Followers::Follower* its = followers.find(start.ref());
  if (its == nullptr) return why;
  const auto which = static_cast<std::size_t>(layer.design - start.sound->design->layers.data());
  const Following::Values values = Followers::now(*its, gauges, listening_.ready_values(start.in_world ? start.from : nullptr));
  if (const auto by = its->following->quietened_by(which, values)) why.name = by->gauge, why.number = by->value;
  return why;
}

/// Sets a start at once to where its gauges are. For starts that begin to be heard, or may.
void Driving::bend_now(LiveStart& start, const HeardFrom* from) {
  Followers::Follower* its = followers.find(start.ref());
  if (its == nullptr) return;
  its->smooth.fill(Followers::untold);
  bend(start, *its, Followers::now(*its, gauges, listening_.ready_values(from)));
}

void Driving::bend(LiveStart& start, const Followers::Follower& follower, const Following::Values& values) {
  Voices::each_layer(start, [&](LiveLayer& layer) {
    const auto which = static_cast<std::size_t>(layer.design - start.sound->design->layers.data());
    voices_.bend_to(layer, follower.following->bend(which, values, follower.in_world));
  });
}

void Driving::open(UpdateUnderWay& update) {
  update.kept_gauges.clear();
  update.gauged.clear();
  followers.begin(gauges);
  if (!followers.empty()) {
    for (const VoicedLayer& layer : update.voiced)
      if (layer.sound->loaded->following != nullptr) update.gauged.push_back(layer.start);
    followers.hear(update.gauged);
  }
  const auto kinds = listening_.earshot.kinds();
  for (std::uint32_t kind = 0; kind < kinds.size() && kind < listening_.following.size(); ++kind)
    if (const Following* following = listening_.following[kind]; following != nullptr && kinds[kind].count > 0)
      kinds[kind].bent = Followers::louder_for_all(*following, gauges);
}

/// Without the lock: what emitters say now of those that are heard, or may be at any time.
void Driving::read(UpdateUnderWay& update) {
  followers.each_heard([&](Followers::Follower& its) { read_of(its, update); });
}

void Driving::read_of(Followers::Follower& follower, UpdateUnderWay& update) {
  const std::lock_guard lock(listening_.emitters.mutex());
  followers.read(
      follower, [this](std::uint32_t gauge, Emitter emitter) { return listening_.emitters.gauge(gauge, emitter); },
      [&](Emitter emitter, std::uint32_t gauge, double value) {
        update.kept_gauges.push_back({emitter, gauge, value});
      });
}

/// For a start that is near enough to be heard.
std::optional<Level> Driving::louder_by_emitter(StartRef start, UpdateUnderWay& update) {
  Followers::Follower* its = followers.find(start);
  if (its == nullptr) return std::nullopt;
  read_of(*its, update);
  return followers.louder_by_emitter(*its);
}

/// Moves all starts that are heard further towards the values of their gauges.
void Driving::follow_on(const UpdateUnderWay& update) {
  followers.end();
  const Seconds time = voices_.since_before();
  gauges.step(time);
  if (followers.empty()) return;
  LiveStart* before = nullptr;
  for (const VoicedLayer& voiced : update.voiced) {
    if (voiced.sound->loaded->following == nullptr) continue;
    LiveLayer* layer = voices_.layer_on(voiced);
    if (layer == nullptr || layer->start == before || !layer->start->in_world) continue;
    before = layer->start;
    if (Followers::Follower* its = followers.find(voiced.start))
      bend(*before, *its, followers.values(*its, gauges, listening_.ready_values(listening_.heard_now(voiced)), time.value));
  }
  const auto ready = listening_.ready_values(nullptr);
  followers.each_on_screen([&](Followers::Follower& its) {
    if (LiveStart* start = voices_.find(its.start)) bend(*start, its, followers.values(its, gauges, ready, time.value));
  });
  for (const HeardStart& near : update.near)
    if (LiveStart* start = voices_.find(near.start)) bend_now(*start, near.from);
}

void Driving::tell_of_unknown(Name gauge) {
  constexpr std::size_t most_told = 16;
  if (told.size() == most_told || std::find(told.begin(), told.end(), gauge.hash()) != told.end()) return;
  told.push_back(gauge.hash());
  noting_.tell({.code = Reason::Code::unknown_gauge, .name = noting_.notebook.keep(gauge.text())});
}

}  // namespace tidewater
