#include "take_table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <set>

#include "tidewater/author/report.hpp"

namespace tidewater::tool {
namespace {

constexpr std::size_t most_drawn = 12;

std::string in_lufs(Decibels loudness) { return loudness == silence ? "silent" : fmt::format("{:.1f} LUFS", loudness.value); }

}  // namespace

void TakeTable::begin(std::string side) {
  row_ = {};
  row_.side = std::move(side);
  open_ = true;
  takes_.emplace_back();
}

void TakeTable::take(const JournalEntry& e) {
  if (!open_) return;
  if (e.kind == JournalEntry::Kind::layer) {
    row_.layers += fmt::format(" + {}", e.clip);
  } else if (e.kind == JournalEntry::Kind::decision && plays(e.outcome)) {
    if (!row_.sound.empty()) {  // an event that starts several sounds
      row_.layers += fmt::format(" + {}", e.clip);
      return;
    }
    row_.sound = e.sound;
    row_.clip = e.clip;
    row_.gain = e.gain;
    row_.pitch = e.pitch;
    row_.clip_start = e.clip_start;
    row_.starts = e.starts;
    if (placeholders_.contains(e.clip)) row_.note = "placeholder";
    if (!e.why.empty()) row_.note = "unheard: " + e.why;
    if (!measured_) print(row_);
  } else if (e.kind == JournalEntry::Kind::decision && e.outcome != Outcome::done) {
    row_.starts = e.at;
    row_.note = fmt::format("{}: {}", to_text(e.outcome), e.why);
    if (!measured_) print(row_);
  }
}

void TakeTable::take(std::span<const float> samples) {
  if (!takes_.empty()) takes_.back().samples.insert(takes_.back().samples.end(), samples.begin(), samples.end());
}

void TakeTable::end() {
  if (!open_) return;
  open_ = false;
  HeardTake& heard = takes_.back();
  heard.label = fmt::format("{}{} {}{}", rows_.size() + 1, row_.side.empty() ? "" : " " + row_.side, row_.clip, row_.layers);
  if (measured_) {
    row_.loudness = loudness_of(heard.samples, rate_);
    print(row_);
  }
  rows_.push_back(row_);
  if (rows_.size() > most_drawn) heard.samples = {};
}

void TakeTable::print(const Row& row) {
  if (!printed_) return;
  if (!headed_)
    fmt::print("{:>4}  {:>9}  {:<16}  {:<24}  {:>9}  {:>8}  {:>7}{}\n", "take", "at", "sound", "clip", "pitch", "gain", "from",
               measured_ ? "    loudness" : "");
  headed_ = true;
  const std::string number = fmt::format("{}{}", rows_.size() + 1, row.side);
  if (row.sound.empty()) {
    fmt::print("{:>4}  {:>7.2f} s  {}\n", number, seconds(row.starts, rate_).value, row.note);
  } else {
    fmt::print("{:>4}  {:>7.2f} s  {:<16}  {:<24}  {:>+6.2f} st  {:>5.1f} dB  {:>5.2f} s{}{}{}\n", number, seconds(row.starts, rate_).value,
               row.sound, row.clip, row.pitch.value, row.gain.value, row.clip_start.value,
               measured_ ? fmt::format("  {:>10}", in_lufs(row.loudness)) : "", row.layers.empty() ? "" : " " + row.layers,
               row.note.empty() ? "" : "  " + row.note);
  }
  std::fflush(stdout);
}

void TakeTable::print_summary() const {
  std::map<std::string, int> counts;
  std::set<std::string> since;
  std::size_t longest = 0;
  Frames began;
  Seconds longest_time;
  for (const Row& row : rows_) {
    if (row.clip.empty()) continue;
    ++counts[row.clip];
    if (since.contains(row.clip)) since.clear();
    if (since.empty()) began = row.starts;
    since.insert(row.clip);
    if (since.size() > longest) {
      longest = since.size();
      longest_time = seconds(row.starts - began, rate_);
    }
  }
  if (counts.empty()) return;
  std::string line;
  for (const auto& [clip, count] : counts) line += fmt::format("{}{} x {}", line.empty() ? "" : ", ", count, clip);
  fmt::print("  clips      {}\n", line);
  if (counts.size() > 1) fmt::print("  repeats    none for up to {} starts, {:.1f} s\n", longest, longest_time.value);
  std::vector<double> levels;
  for (const Row& row : rows_)
    if (row.loudness != silence) levels.push_back(row.loudness.value);
  if (levels.size() > 1) {
    const auto [low, high] = std::minmax_element(levels.begin(), levels.end());
    fmt::print("  spread     {:.1f} LU, from {:.1f} to {:.1f} LUFS\n", *high - *low, *low, *high);
  }
}

Decibels TakeTable::loudness(const std::string& side) const {
  double power = 0;
  int count = 0;
  for (const Row& row : rows_) {
    if (row.side != side || row.loudness == silence) continue;
    power += std::pow(10, row.loudness.value / 10);
    ++count;
  }
  return count == 0 ? silence : Decibels{10 * std::log10(power / count)};
}

}  // namespace tidewater::tool
