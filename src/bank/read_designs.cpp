#include "bank/read_designs.hpp"

#include <algorithm>
#include <functional>
#include <type_traits>

#include "bank/stored_values.hpp"

namespace tidewater {

namespace file = bank_file;

template <class From, class To, class How>
bool DesignReader::value(std::string_view key, const From& from, To& to, const How& how) {
  if constexpr (std::is_same_v<How, file::List>) {
    return list(key, from, to, how);
  } else if constexpr (std::is_same_v<How, file::Words> || std::is_same_v<How, file::GaugeName>) {
    std::string read;
    if (!text(from, read)) return false;
    to = std::move(read);
    return true;
  } else {
    file::load(from, to);
    if constexpr (std::is_same_v<How, file::NumberOf>) {
      return index(from, counts_[how.kind], key);
    } else if constexpr (std::is_same_v<How, file::Word>) {
      const bool optional = requires { to.has_value(); };
      if (how.grows && from >= how.words.size()) return newer(key);
      return index(from, how.words.size() + (how.further.empty() && !optional ? 0 : 1), key);
    } else if constexpr (std::is_same_v<How, file::Gain>) {
      return gain(from, key);
    } else if constexpr (std::is_same_v<How, file::Number> || std::is_same_v<How, file::Whole>) {
      if constexpr (std::is_arithmetic_v<From>)
        return number(static_cast<double>(from), how.low, how.high, key);
      else
        return number(from, how.low, how.high, key);
    } else {
      return true;
    }
  }
}

template <class Design>
bool DesignReader::list(std::string_view key, const file::Part& from, std::vector<Design>& to, const file::List& how) {
  std::span<const file::RecordOf<Design>> records;
  if (!take(from, std::get<Led<file::RecordOf<Design>>>(lists_), records)) return false;
  if (records.size() < how.least || records.size() > how.most) return damaged(fmt::format("its '{}' has {} parts", key, records.size()));
  to.reserve(records.size());
  for (const auto& record : records)
    if (!one(record, to.emplace_back())) return false;
  return true;
}

template <class Design>
bool DesignReader::one(const file::RecordOf<Design>& from, Design& to) {
  return file::each_field(to, [&](std::string_view key, auto member, auto place,
                                  const auto& how) { return value(key, std::invoke(place, from), std::invoke(member, to), how); }) &&
         sensible(from, to);
}

template <class Design>
bool DesignReader::all(std::vector<Design>& to, const char* what) {
  constexpr file::Kind kind = file::StoredAs<Design>::kind;
  std::span<const file::RecordOf<Design>> records;
  if (!section(kind, records)) return false;
  to.reserve(records.size());
  for (const auto& record : records) {
    counts_[kind] = std::max<std::size_t>(to.size(), 1);  // a group leads to one before it; the first to itself
    if (!one(record, to.emplace_back())) return false;
  }
  counts_[kind] = to.size();
  return names_differ(to, what);
}

template <class Design>
bool DesignReader::open_list() {
  return section(file::StoredAs<Design>::kind, std::get<Led<file::RecordOf<Design>>>(lists_).all);
}

bool DesignReader::sensible(const file::Gauge&, const BankGauge& gauge) {
  return number(gauge.to, gauge.from, file::most_of_a_gauge, "to") && number(gauge.initial, gauge.from, gauge.to, "default");
}

bool DesignReader::sensible(const file::Sound&, const BankSound& sound) {
  const ConeDesign& cone = sound.world.cone;
  if (cone.outside.value > 0 || cone.outer < cone.inner) return damaged("a cone makes no sense");
  const auto nearer = [](const FalloffPoint& a, const FalloffPoint& b) { return a.at < b.at; };
  return std::is_sorted(sound.world.points.begin(), sound.world.points.end(), nearer) || damaged("points of a falloff are out of order");
}

bool DesignReader::sensible(const file::Layer&, const BankLayer& layer) {
  const auto fits = [&](const BankChoice& choice) { return choice.values.size() <= layer.by.size(); };
  return std::all_of(layer.choices.begin(), layer.choices.end(), fits) || damaged("a choice has more values than its layer has traits");
}

bool DesignReader::sensible(const file::Choice&, const BankChoice& choice) {
  return choice.heavy < static_cast<std::int64_t>(choice.clips.size()) || damaged("a choice prefers a clip that it has not");
}

bool DesignReader::sensible(const file::Curve&, const CurveDesign& curve) {
  double before = -file::most_of_a_gauge;
  for (const CurvePoint& point : curve.points) {
    if (!number(point.gauge, before, file::most_of_a_gauge, "gauge")) return false;
    before = point.gauge;
    const bool fits = curve.bends == Bends::gain      ? gain(point.value, "value")
                      : curve.bends == Bends::pitch   ? number(point.value, -file::most_semitones, file::most_semitones, "value")
                      : curve.bends == Bends::cadence ? number(point.value, 0, most_times_as_often, "value")
                                                      : number(point.value, 0, file::most_hertz, "value");
    if (!fits) return false;
  }
  return true;
}

bool DesignReader::sensible(const file::Track&, const BankTrack& track) {
  if (track.tempo.value != 0 && (track.tempo.value < 1 || track.parts.empty())) return damaged("a track has a tempo and no parts");
  const auto loops = std::count_if(track.parts.begin(), track.parts.end(), [](const PartDesign& part) { return part.loop; });
  if (loops > 1 || (!track.parts.empty() && (loops == 1) != track.loops)) return damaged("a track has several loops");
  for (const HashedText& its : track.list)
    if (its.text.empty()) return damaged("a list has a track without a name");
  return track.loop_from < track.frames || damaged("a track's loop begins behind its end");
}

bool DesignReader::newer(std::string_view key) {
  return fail(
      fmt::format("a newer version of the library packed the bank, and the '{}' of one of its responses needs that version; "
                  "pack it with this one",
                  key));
}

bool DesignReader::sensible(const file::Response& record, BankResponse& response) {
  if (record.reserved != 0) return newer("reserved");
  response.delay.high = std::max(response.delay.low, response.delay.high);  // an older bank has one delay
  const VerbRow& row = row_of(response.verb);
  if (response.whom && std::find(row.whom.begin(), row.whom.end(), *response.whom) == row.whom.end())
    return damaged("a response is for playbacks that its verb does not know");
  if (!row.value.empty() && row.target != TargetKind::gauge) return gain(response.value, row.value);
  return number(response.value, -file::most_of_a_gauge, file::most_of_a_gauge, "value");
}

bool DesignReader::read(BankData& to) {
  const bool lists = open_list<HashedText>() && open_list<BankClipUse>() && open_list<BankChoice>() && open_list<BankLayer>() &&
                     open_list<FalloffPoint>() && open_list<FollowDesign>() && open_list<CurveDesign>() && open_list<CurvePoint>() &&
                     open_list<BankResponse>() && open_list<BankCondition>() && open_list<BankTrack>() && open_list<PartDesign>() &&
                     open_list<ChangeDesign>() && open_list<DuckDesign>() && open_list<MoodGroupDesign>();
  if (!lists || !all(to.groups, "groups")) return false;
  if (to.groups.empty()) return damaged("it has no groups");
  if (to.groups[0].name != "master") return damaged("its first group is not the master");
  if (!all(to.moods, "moods")) return false;
  if (!all(to.gauges, "gauges")) return false;
  if (to.gauges.size() > most_gauges) return damaged("it has too many gauges");
  to.scopes.clear();
  if (!all(to.scopes, "scopes")) return false;
  if (to.scopes.empty()) to.scopes = BankData().scopes;  // a bank of an older version, or of a book without scopes
  if (to.scopes[0].name != "root") return damaged("its first scope is not the root");
  if (to.scopes.size() > most_scopes) return damaged("it has too many scopes");
  counts_[file::Kind::scopes] = to.scopes.size();
  if (!all(to.traits, "traits")) return false;
  if (!all(to.sounds, "sounds") || !all(to.events, "events")) return false;
  for (const BankSound& sound : to.sounds) {
    if (sound.as_track() == nullptr) continue;
    for (const BankLayer& stem : sound.layers)
      if (stem.choices.size() != 1 || stem.choices[0].clips.size() != std::max<std::size_t>(1, sound.as_track()->list.size()))
        return damaged("a stem of a track has not one clip");
  }
  for (const BankEvent& event : to.events)
    for (const BankResponse& response : event.responses)
      if (response.verb == Verb::play && to.sounds[response.target].as_track() == nullptr)
        return damaged("a response plays a sound that is no track");
  return true;
}

}  // namespace tidewater
