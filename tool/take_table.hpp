#pragma once
#include <map>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "tidewater/journal.hpp"
#include "tidewater/picture/takes.hpp"

namespace tidewater::tool {

/// A row for each take of an audition, and in the end what they have in common. Rows are printed once a take is over,
/// when its loudness is known; without samples, as it begins.
class TakeTable {
 public:
  /// `measured` where the takes' samples come, too; `printed` where somebody reads along.
  TakeTable(Hertz rate, bool measured, bool printed) : rate_(rate), measured_(measured), printed_(printed) {}
  /// Clips that are to be marked where they come.
  void mark_placeholders(std::set<std::string> clips) { placeholders_ = std::move(clips); }

  /// What is heard from here on is one take; `side` tells two sounds apart that are compared.
  void begin(std::string side);
  void take(const JournalEntry& entry);
  void take(std::span<const float> samples);
  void end();

  /// How often each clip came, how long nothing repeats, how even it is.
  void print_summary() const;
  /// Mean loudness of a side's takes, or silence.
  Decibels loudness(const std::string& side) const;
  const std::vector<HeardTake>& takes() const { return takes_; }

 private:
  struct Row {
    std::string side, sound, clip, layers, note;
    Decibels gain, loudness = silence;
    Semitones pitch;
    Seconds clip_start;
    Frames starts;
  };
  void print(const Row& row);

  Hertz rate_;
  bool measured_;
  bool printed_;
  std::set<std::string> placeholders_;
  bool headed_ = false;
  bool open_ = false;
  Row row_;
  std::vector<Row> rows_;
  std::vector<HeardTake> takes_;
};

}  // namespace tidewater::tool
