#include "tidewater/author/compare.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "columns.hpp"
#include "commands.hpp"
#include "print.hpp"
#include "progress.hpp"
#include "rendering.hpp"
#include "session_banks.hpp"
#include "tidewater/error.hpp"
#include "tidewater/picture/timeline.hpp"

namespace tidewater::tool {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::array<std::string_view, 3> how_words = {"changed", "missing", "new"};
std::string_view how_word(ComparedSound::How how) { return how_words[static_cast<std::size_t>(how)]; }

bool is_sound_file(const std::string& path) {
  return std::filesystem::is_regular_file(path) && !path.ends_with(".toml") && !path.ends_with(".tidebank");
}

std::string bands_of(const ComparedSound& its) {
  std::string text;
  constexpr std::size_t most = 4;
  for (std::size_t i = 0; i < std::min(its.bands.size(), most); ++i)
    text += fmt::format("{}{:.0f} Hz {:+.1f} dB", text.empty() ? "" : ", ", its.bands[i].middle.value, its.bands[i].change);
  if (its.bands.size() > most) text += fmt::format(" and {} more bands", its.bands.size() - most);
  return text;
}

/// "+2.0 LU", or a dash for nothing.
std::string change(double by, std::string_view unit, double least) {
  return std::abs(by) < least ? "-" : fmt::format("{:+.2f} {}", by, unit);
}

std::string timing_of(const ComparedSound& its) {
  if (its.starts != 0) return fmt::format("{:+} starts", its.starts);
  return its.timing == 0 ? "-" : fmt::format("{} frames", its.timing);
}

std::string comparison_text(const Comparison& found) {
  std::string text;
  Table groups({"group", ">level"});
  for (const ComparedGroup& its : found.groups) groups.row({its.name, fmt::format("{:+.2f} dB", its.level)});
  if (!groups.empty()) text += groups.text() + (found.sounds.empty() ? "" : "\n");
  Table sounds({"sound", "group", "is", ">level", ">timing", ">pitch drawn", ">measured", "spectrum"});
  for (const ComparedSound& its : found.sounds)
    sounds.row({its.name, its.group, std::string(how_word(its.how)), change(its.level, "LU", 0.005), timing_of(its),
                change(its.drawn_pitch, "st", 0.005), change(its.measured_pitch, "st", 0.05), bands_of(its)});
  if (!sounds.empty()) text += sounds.text();
  if (groups.empty() && sounds.empty()) text += "  no group and no sound differs; the samples do, by less than is listed\n";
  return text;
}

std::string comparison_json(const Comparison& found, bool good) {
  Json json = {
      {"same", found.same}, {"within-tolerance", good}, {"level-lu", found.level}, {"groups", Json::array()}, {"sounds", Json::array()}};
  for (const ComparedGroup& its : found.groups) json["groups"].push_back({{"name", its.name}, {"level-db", its.level}});
  for (const ComparedSound& its : found.sounds) {
    Json one = {{"name", its.name},
                {"group", its.group},
                {"is", how_word(its.how)},
                {"level-lu", its.level},
                {"timing-frames", its.timing},
                {"starts", its.starts},
                {"pitch-drawn-semitones", its.drawn_pitch},
                {"pitch-measured-semitones", its.measured_pitch},
                {"bands", Json::array()}};
    for (const ComparedBand& band : its.bands) one["bands"].push_back({{"hertz", band.middle.value}, {"change-db", band.change}});
    json["sounds"].push_back(std::move(one));
  }
  return json.dump(2) + "\n";
}

/// Draws the first session in both versions.
struct Pictures {
  std::array<std::unique_ptr<Timeline>, 2> timelines;

  Pictures(const JournalScript& session) {
    for (auto& its : timelines) its = std::make_unique<Timeline>(session.head.rate);
  }
  std::array<ComparedVersion, 2> versions(std::span<const Bank> one, std::span<const Bank> other) {
    const auto version = [](std::span<const Bank> banks, Timeline& timeline) {
      return ComparedVersion{banks, [&timeline](const JournalEntry& entry) { timeline.take(entry); },
                             [&timeline](std::span<const float> samples) { timeline.take(samples); }};
    };
    return {version(one, *timelines[0]), version(other, *timelines[1])};
  }
};

/// In a few lines, for the foot of a picture.
std::vector<std::string> in_short(const Comparison& found) {
  std::vector<std::string> lines;
  if (found.same) return {"the same, bit for bit"};
  for (const ComparedGroup& its : found.groups) lines.push_back(fmt::format("group {}: {:+.1f} dB", its.name, its.level));
  for (const ComparedSound& its : found.sounds) {
    std::string what = its.how == ComparedSound::How::changed ? std::string() : std::string(how_word(its.how));
    const auto add = [&](const std::string& text) { what += (what.empty() ? "" : ", ") + text; };
    if (std::abs(its.level) >= 0.05) add(fmt::format("{:+.1f} LU", its.level));
    if (its.timing != 0 || its.starts != 0) add(timing_of(its));
    if (std::abs(its.drawn_pitch) >= 0.05) add(fmt::format("{:+.1f} st", its.drawn_pitch));
    if (!its.bands.empty()) add(fmt::format("{} bands of its spectrum", its.bands.size()));
    lines.push_back(fmt::format("{}: {}", its.name, what.empty() ? "slightly" : what));
  }
  return lines;
}

}  // namespace

int compare(const CompareCall& call) {
  for (const std::string& path : {call.one, call.other})
    if (!std::filesystem::exists(path)) throw Error(path + ": there is no such file or folder");
  Comparison found;
  if (is_sound_file(call.one) && is_sound_file(call.other)) {
    if (!call.journals.empty() || !call.picture.empty())
      throw Error("two sound files are compared as they are; leave out the journals and --picture");
    found = compare_files(call.one, call.other);
  } else {
    if (call.journals.empty()) throw Error("comparing books or banks needs the journal of a session: tidewater compare A B JOURNAL");
    std::vector<JournalScript> sessions;
    for (const std::string& journal : call.journals) sessions.push_back(read_journal(journal));
    const std::vector<Bank> one = banks_of(call.one, sessions), other = banks_of(call.other, sessions);
    Progress progress("rendering");
    const CompareOptions options{.as_played = call.as_played, .progress = in_seconds(progress)};
    if (call.picture.empty()) {
      found = compare({ComparedVersion{one}, ComparedVersion{other}}, sessions, options);
    } else {
      if (sessions.size() > 1) throw Error("--picture draws one session; name one journal");
      Pictures pictures(sessions.front());
      found = compare(pictures.versions(one, other), sessions, options);
      Rendering::make_folder_of(call.picture);
      draw_both(call.picture, {call.one, call.other}, {pictures.timelines[0].get(), pictures.timelines[1].get()}, in_short(found));
    }
    progress.clear();
  }
  const bool good = found.within(call.tolerance);
  if (call.json) {
    std::fputs(comparison_json(found, good).c_str(), stdout);
  } else if (found.same) {
    say("the same, bit for bit: {:.1f} s\n", found.length.value);
  } else {
    say("{}\nthe whole: {:+.2f} LU, over {:.1f} s; every figure is {} less {}\n{}\n", comparison_text(found), found.level,
        found.length.value, call.other, call.one,
        good ? fmt::format("within the tolerance of {:g} LU", call.tolerance)
             : fmt::format(
                   "beyond the tolerance ({:g} LU of level; no other timing, pitch or spectrum, nothing missing or new): exit status 1",
                   call.tolerance));
  }
  if (!call.picture.empty() && !call.json) say("  picture    {}\n", call.picture);
  return good ? fine : beyond;
}

}  // namespace tidewater::tool
