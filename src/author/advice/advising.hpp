#pragma once
#include <fmt/format.h>

#include <map>
#include <set>
#include <string>
#include <string_view>
#include <unordered_set>
#include <vector>

#include "author/clips/clip_facts.hpp"
#include "tidewater/author/advice.hpp"

namespace tidewater {

/// What those who give advice look at, and where they put it.
class Advising {
 public:
  /// One place where a clip is used.
  struct Use {
    const BookClip* clip;
    const BookSound* sound;
    const BookLayer* layer;
  };

  Advising(const Book& book, const std::map<std::string, ClipFacts>& facts);

  const Book& book() const { return book_; }
  const ClipFacts& facts(const std::string& path) const { return facts_.at(path); }
  const std::map<std::string, ClipFacts>& all_facts() const { return facts_; }
  /// Of each clip that can be played: every use, in the order of the book.
  const std::map<std::string, std::vector<Use>>& uses() const { return uses_; }
  bool reached(const BookSound& sound) const { return reached_.contains(sound.name); }

  /// What keeps the book from being compiled.
  void problem(const FilePlace& place, std::string message) { checked_.problems.push_back({place, std::move(message)}); }
  /// `weight` orders advice of one kind: the larger, the worse.
  void advise(const FilePlace& place, std::string_view kind, const std::string& about, double weight, std::string message);
  /// Whether the book has accepted such advice; it is counted then.
  bool accepts(std::string_view kind, const std::string& about);
  Checked take();

 private:
  void about_accepted();

  const Book& book_;
  const std::map<std::string, ClipFacts>& facts_;
  std::map<std::string, std::vector<Use>> uses_;
  std::unordered_set<std::string> reached_;  ///< sounds that an event starts
  std::set<const BookAccepted*> needed_;
  Checked checked_;
};

void advise_on_clips(Advising& advising);
void advise_on_sounds(Advising& advising);
/// Advises on events that raise each other without an end.
void advise_on_events(Advising& advising);
/// What in the folder nobody uses, and what has no licence.
void advise_on_files(Advising& advising);

}  // namespace tidewater
