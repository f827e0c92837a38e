#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "columns.hpp"
#include "commands.hpp"
#include "gauge_option.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/walk.hpp"
#include "tidewater/error.hpp"
#include "tidewater/picture/walk_picture.hpp"

namespace tidewater::tool {
namespace {

std::string metres(Metres length) {
  return length.value < 10 ? fmt::format("{:.1f} m", length.value) : fmt::format("{:.0f} m", length.value);
}
std::string level(Decibels its) { return its.value < -120 ? "silent" : fmt::format("{:.1f} dB", its.value); }

std::string about(const WorldDesign& design) {
  std::string text = design.falloff == Falloff::points ? fmt::format("along {} points", design.points.size())
                                                       : std::string(falloff_words[static_cast<std::size_t>(design.falloff)]);
  text += fmt::format(", near {}, far {}, radius {}", to_text(design.full_within), to_text(design.silent_from), to_text(design.radius));
  const auto amount = [&](const char* what, double its) {
    if (its != 1) text += fmt::format(", {} {:.0f} %", what, 100 * its);
  };
  amount("rolloff", design.rolloff);
  amount("doppler", design.doppler);
  amount("air", design.air);
  if (design.cone != ConeDesign{})
    text +=
        fmt::format(", cone {} to {}, {} outside", to_text(design.cone.inner), to_text(design.cone.outer), to_text(design.cone.outside));
  return text;
}

/// As the walk begins and, where a gauge moves on it, as it ends.
std::string by_distance(const WalkPast& walk) {
  std::vector<std::string> head = {">distance", ">level", ">treble up to"};
  if (!walk.table_at_end.empty()) head = {">distance", ">begins: level", ">treble up to", ">ends: level", ">treble up to"};
  Table table(head);
  const auto add = [](std::vector<std::string>& row, const HeardAway& its) {
    row.push_back(its.silent_by.empty() ? level(its.level) : fmt::format("silent by {}", its.silent_by));
    row.push_back(its.level.value < -120 ? "" : its.low_pass.value == 0 ? "all" : fmt::format("{:.1f} kHz", its.low_pass.value / 1000));
  };
  for (std::size_t i = 0; i < walk.table.size(); ++i) {
    std::vector<std::string> row = {metres(walk.table[i].distance)};
    add(row, walk.table[i]);
    if (!walk.table_at_end.empty()) add(row, walk.table_at_end[i]);
    table.row(row);
  }
  return table.text();
}

const char* channel_name(Layout layout, std::size_t channel) {
  constexpr std::array surround = {"left", "right", "centre", "low", "back left", "back right", "side left", "side right"};
  return layout == Layout::mono ? "all" : surround[channel];
}

void print_walk(const WalkPast& walk) {
  std::vector<std::string> head = {">at", ">distance"};
  std::vector<std::size_t> swept;
  for (std::size_t g = 0; g < walk.options.gauges.size(); ++g) {
    if (walk.options.gauges[g].from == walk.options.gauges[g].to) continue;
    swept.push_back(g);
    head.push_back(">" + walk.options.gauges[g].gauge);
  }
  std::vector<std::size_t> shown;
  for (std::size_t c = 0; c < static_cast<std::size_t>(channels(walk.options.layout)); ++c) {
    if (walk.options.layout != Layout::mono && walk.options.layout != Layout::stereo && c == 3) continue;  // nothing comes from there
    shown.push_back(c);
    head.push_back(std::string(">") + channel_name(walk.options.layout, c));
  }
  Table table(head);
  // Closer together where it is near.
  const auto is_shown = [&](std::size_t i) { return i % (std::abs(walk.steps[i].along.value) < 1.5 * walk.pace ? 5 : 20) == 0; };
  for (std::size_t i = 0; i < walk.steps.size(); ++i) {
    if (!is_shown(i)) continue;
    const WalkStep& step = walk.steps[i];
    std::vector<std::string> row = {fmt::format("{:.1f} s", step.at.value), metres(step.distance)};
    for (const std::size_t g : swept) row.push_back(fmt::format("{:.2f}", step.gauges[g]));
    for (const std::size_t c : shown) {
      // The loudest until the next row: what is short is not between them.
      Decibels loudest = silence;
      for (std::size_t j = i; j < walk.steps.size() && (j == i || !is_shown(j)); ++j) loudest = std::max(loudest, walk.steps[j].levels[c]);
      row.push_back(level(loudest));
    }
    table.row(row);
  }
  say("\nA walk past it, {} to its left, at {:.1f} m/s; the loudest (RMS of 100 ms) from each line to the next:\n\n{}", metres(walk.aside),
      walk.pace, table.text());
}

}  // namespace

int place(const PlaceCall& call) {
  ReadBook read = read_book(call.book);
  std::string problems;
  for (const auto& problem : read.problems) problems += (problems.empty() ? "" : "\n") + to_text(problem);
  if (!problems.empty()) throw Error(problems);
  const auto word = std::find(layout_words.begin(), layout_words.end(), call.layout);
  const auto layout = static_cast<Layout>(word - layout_words.begin());

  std::unique_ptr<AudioFileWriter> file;
  if (!call.output.empty()) {
    Rendering::make_folder_of(call.output);
    file = std::make_unique<AudioFileWriter>(call.output, Hertz{48000}, channels(layout));
  }
  WalkOptions options{layout, {}};
  for (const std::string& gauge : call.gauges) options.gauges.push_back(gauge_in(gauge));
  const WalkPast walk = walk_past(read.book, call.sound, options, [&](std::span<const float> block) {
    if (file) file->write(block);
  });
  if (file) file->close();

  say("{}: {}\n", call.sound, about(walk.design));
  for (const WalkGauge& its : walk.options.gauges)
    say("{} {}\n", its.gauge,
        its.from == its.to ? fmt::format("at {}", its.from) : fmt::format("from {} to {} on the walk", its.from, its.to));
  say("\n{}", by_distance(walk));
  print_walk(walk);
  if (!call.picture.empty()) {
    Rendering::make_folder_of(call.picture);
    draw_walk(walk, call.picture);
  }
  if (!call.output.empty() || !call.picture.empty()) say("\n");
  if (!call.output.empty()) say("  sound      {}\n", call.output);
  if (!call.picture.empty()) say("  picture    {}\n", call.picture);
  return fine;
}

}  // namespace tidewater::tool
