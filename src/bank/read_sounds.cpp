#include "bank/read_sounds.hpp"

#include <algorithm>

namespace tidewater {

namespace file = bank_file;

bool SoundRecords::names(const file::Part& part, std::vector<HashedText>& to) {
  std::span<const file::Value> values;
  if (!take(part, values_, values)) return false;
  for (const file::Value& value : values) {
    std::string its;
    if (!text(value.text, its)) return false;
    to.emplace_back(std::move(its));
  }
  return true;
}

bool SoundRecords::choice(const file::Choice& from, BankChoice& to) {
  to.weighted = from.weighted != 0;
  to.heavy = from.heavy;
  to.again = from.again;
  std::span<const file::Use> uses;
  if (!names(from.values, to.values) || !take(from.uses, uses_, uses) || !number(from.again, 0, 1, "probability")) return false;
  if (from.heavy < -1 || from.heavy >= static_cast<std::int64_t>(from.uses.count))
    return damaged("a choice prefers a clip that it has not");
  to.clips.reserve(uses.size());
  for (const file::Use& use : uses) {
    to.clips.push_back({use.clip, use.weight, {use.trim}, use.share});
    if (!index(use.clip, clips_, "clip of a sound") || !number(use.weight, 0, 1e9, "weight") ||
        !number(static_cast<double>(use.share), 0, 1e9, "share") || !gain(use.trim))
      return false;
  }
  return true;
}

bool SoundRecords::layer(const file::Layer& from, BankLayer& to) {
  to.loop = from.loop != 0;
  to.start_anywhere = from.start_anywhere != 0;
  to.chance = from.chance;
  std::span<const file::Choice> choices;
  if (!text(from.name, to.name) || !names(from.by, to.by) || !take(from.choices, choices_, choices) ||
      !word(from.pick, pick_words.size(), to.pick, "way to pick") || !number(from.chance, 0, 1, "chance") || !gains(from.gain, to.gain) ||
      !range(from.pitch, to.pitch, -most_semitones, most_semitones, "pitch") || !range(from.delay, to.delay, 0, most_seconds, "delay") ||
      !range(from.start_at, to.start_at, 0, most_seconds, "start"))
    return false;
  if (!follows(from.follows, to.follow)) return false;
  to.choices.reserve(choices.size());
  for (const file::Choice& its : choices)
    if (!choice(its, to.choices.emplace_back())) return false;
  for (const BankChoice& its : to.choices)
    if (its.values.size() > to.by.size()) return damaged("a choice has more values than its layer has traits");
  return true;
}

bool SoundRecords::world(const file::Sound& from, WorldDesign& to) {
  if (from.in_world == 0) return true;
  to.place = Where::world;
  to.full_within = {from.full_within};
  to.silent_from = {from.silent_from};
  to.radius = {from.radius};
  to.rolloff = from.rolloff;
  to.doppler = from.doppler;
  to.air = from.air;
  to.cone = {{from.cone_inner}, {from.cone_outer}, {from.cone_outside}};
  std::span<const file::FalloffPoint> points;
  if (!word(from.falloff, falloff_words.size() + 1, to.falloff, "falloff") ||
      !word(from.when_gone, when_gone_words.size(), to.when_gone, "when-gone") || !take(from.points, falloffs_, points))
    return false;
  for (const double metres : {from.full_within, from.silent_from, from.radius})
    if (!number(metres, 0, most_metres, "distance")) return false;
  for (const double amount : {from.rolloff, from.doppler, from.air})
    if (!number(amount, 0, 10, "amount")) return false;
  for (const double angle : {from.cone_inner, from.cone_outer})
    if (!number(angle, 0, 360, "angle")) return false;
  if (!gain(from.cone_outside) || from.cone_outside > 0 || from.cone_outer < from.cone_inner) return damaged("a cone makes no sense");
  for (const file::FalloffPoint& point : points) {
    if (!number(point.metres, to.points.empty() ? 0 : to.points.back().at.value, most_metres, "point of a falloff") || !gain(point.level))
      return false;
    to.points.push_back({{point.metres}, {point.level}});
  }
  return points.size() <= most_points || damaged("a falloff has too many points");
}

bool SoundRecords::gauges(std::vector<BankGauge>& to) {
  std::span<const file::Gauge> gauges;
  if (!section(file::Kind::gauges, gauges)) return false;
  for (const file::Gauge& from : gauges) {
    BankGauge& gauge = to.emplace_back();
    gauge.from = from.from;
    gauge.to = from.to;
    gauge.initial = from.initial;
    gauge.smoothing = {from.smoothing};
    if (!text(from.name, gauge.name) || !number(from.from, -most_of_a_gauge, most_of_a_gauge, "gauge's least") ||
        !number(from.to, from.from, most_of_a_gauge, "gauge's most") || !number(from.initial, from.from, from.to, "gauge's default") ||
        !number(from.smoothing, 0, most_seconds, "smoothing"))
      return false;
  }
  return gauges.size() <= most_gauges || damaged("it has too many gauges");
}

bool SoundRecords::bent(Bends bends, double value) {
  constexpr const char* what = "point's value";
  switch (bends) {
    case Bends::gain: return gain(value);
    case Bends::pitch: return number(value, -most_semitones, most_semitones, what);
    case Bends::low_pass:
    case Bends::high_pass: return number(value, 0, most_hertz, what);
    case Bends::cadence: break;
  }
  return number(value, 0, most_times_as_often, what);
}

bool SoundRecords::curve(const file::Curve& from, CurveDesign& to) {
  std::span<const file::CurvePoint> points;
  if (!word(from.bends, bends_words.size(), to.bends, "curve") || !take(from.points, curve_points_, points)) return false;
  if (points.empty() || points.size() > most_points) return damaged("a curve has no points, or too many");
  for (const file::CurvePoint& point : points) {
    const double before = to.points.empty() ? -most_of_a_gauge : to.points.back().gauge;
    if (!number(point.gauge, before, most_of_a_gauge, "point of a curve")) return false;
    if (!bent(to.bends, point.value)) return false;
    to.points.push_back({point.gauge, point.value});
  }
  return true;
}

bool SoundRecords::follows(const file::Part& part, std::vector<FollowDesign>& to) {
  std::span<const file::Follow> follows;
  if (!take(part, follows_, follows)) return false;
  for (const file::Follow& from : follows) {
    FollowDesign& its = to.emplace_back();
    std::span<const file::Curve> curves;
    if (!text(from.gauge, its.gauge) || !word(from.between, between_words.size(), its.between, "way between points") ||
        !take(from.curves, curves_, curves))
      return false;
    for (const file::Curve& curve_record : curves)
      if (!curve(curve_record, its.curves.emplace_back())) return false;
  }
  return to.size() <= most_followed || damaged("a sound follows too many gauges");
}

bool SoundRecords::sound(const file::Sound& from, BankSound& to) {
  to.content = {from.content};
  to.group = from.group;
  to.high_pass = {from.high_pass};
  to.towards_middle = from.towards_middle != 0;
  for (std::size_t d = 0; d < draw_count; ++d) to.together[d] = (from.together >> d & 1) != 0;
  to.each_emitter = from.each_emitter != 0;
  to.spacing = {from.spacing};
  to.limit = from.limit;
  to.limit_each_emitter = from.limit_each_emitter != 0;
  to.rank = static_cast<int>(std::min(from.rank, 10U));
  if (from.quality > 0) to.quality = from.quality == 1 ? Quality::standard : Quality::fine;
  to.fade_in = {from.fade_in};
  to.fade_out = {from.fade_out};
  std::span<const file::Layer> layers;
  if (!text(from.name, to.name) || !index(from.group, groups_, "group") || !index(from.rank, 10, "rank") ||
      !index(from.quality, 3, "quality") || !word(from.retrigger, retrigger_words.size(), to.retrigger, "retrigger") ||
      !word(from.when_full, when_full_words.size(), to.when_full, "when-full") || !gains(from.gain, to.gain) ||
      !range(from.pitch, to.pitch, -most_semitones, most_semitones, "pitch") || !range(from.pan, to.pan, -1, 1, "pan") ||
      !range(from.delay, to.delay, 0, most_seconds, "delay") || !range(from.low_pass, to.low_pass, 0, most_hertz, "low-pass") ||
      !range(from.cadence, to.cadence, 0, most_seconds, "cadence") || !number(from.high_pass, 0, most_hertz, "high-pass") ||
      !number(from.spacing, 0, most_seconds, "spacing") || !number(from.fade_in, 0, most_seconds, "fade") ||
      !number(from.fade_out, 0, most_seconds, "fade") || !take(from.layers, layers_, layers) || !world(from, to.world) ||
      !follows(from.follows, to.follow))
    return false;
  if (layers.empty() || layers.size() > most_layers) return damaged(fmt::format("its sound '{}' has {} layers", to.name, layers.size()));
  to.layers.reserve(layers.size());
  for (const file::Layer& its : layers)
    if (!layer(its, to.layers.emplace_back())) return false;
  return true;
}

bool SoundRecords::sections() {
  return section(file::Kind::values, values_.all) && section(file::Kind::uses, uses_.all) && section(file::Kind::choices, choices_.all) &&
         section(file::Kind::layers, layers_.all) && section(file::Kind::falloffs, falloffs_.all) &&
         section(file::Kind::follows, follows_.all) && section(file::Kind::curves, curves_.all) &&
         section(file::Kind::curve_points, curve_points_.all);
}

bool SoundRecords::read(BankData& bank) {
  std::vector<BankSound>& to = bank.sounds;
  std::span<const file::Sound> sounds;
  if (!sections() || !gauges(bank.gauges) || !section(file::Kind::sounds, sounds)) return false;
  to.reserve(sounds.size());
  for (const file::Sound& from : sounds)
    if (!sound(from, to.emplace_back())) return false;
  return true;
}

}  // namespace tidewater
