#pragma once
#include <vector>

#include "tidewater/journal.hpp"

namespace tidewater {

/// Journal entries that are filled, handed on and used again, so that their text keeps its memory.
class EntryList {
 public:
  JournalEntry& add(JournalEntry::Kind kind, Frames at);
  void clear() { used_ = 0; }
  bool empty() const { return used_ == 0; }

  const JournalEntry* begin() const { return entries_.data(); }
  const JournalEntry* end() const { return entries_.data() + used_; }

 private:
  std::vector<JournalEntry> entries_;
  std::size_t used_ = 0;
};

inline JournalEntry& EntryList::add(JournalEntry::Kind kind, Frames at) {
  if (used_ == entries_.size()) entries_.resize(used_ < 64 ? 64 : 2 * used_);
  JournalEntry& entry = entries_[used_++];
  for (std::string* text : {&entry.bank, &entry.event, &entry.sound, &entry.layer, &entry.clip, &entry.group, &entry.why, &entry.how})
    text->clear();
  entry.kind = kind;
  entry.at = at;
  entry.raise = 0;
  entry.traits.clear();
  entry.emitter = 0;
  entry.clip_start = {};
  entry.playback = {};
  entry.outcome = Outcome::done;
  entry.gain = {};
  entry.pitch = {};
  entry.pan = {};
  entry.frequency = {};
  entry.fade = entry.fade_in = {};
  entry.every = {};
  entry.times = 0;
  entry.after = 0;
  entry.on = entry.loop = false;
  entry.voice = 0;
  entry.starts = entry.lands = at;
  entry.into = {};
  return entry;
}

}  // namespace tidewater
