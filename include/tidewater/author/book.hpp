#pragma once
/// The book: what a designer writes, read and checked.
///
///     ReadBook read = read_book("book.toml");
///     for (const Problem& p : read.problems) std::cerr << to_text(p) << '\n';
///     if (read.problems.empty()) manager.load(compile(read.book));
///
/// Thread: any; nothing here is shared.

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/units.hpp"

namespace tidewater {

/// Where something stands in a file. Lines and columns count from 1; 0 means the file as a whole.
struct Place {
  std::string file;
  unsigned line = 0;
  unsigned column = 0;
};

/// Something wrong in a book, for a person: what, where, and what to do.
struct Problem {
  Place place;
  std::string message;
};

/// "harbour/book.toml:12:9: message"
std::string to_text(const Problem& problem);

struct BookGroup {
  std::string name;
  std::string parent;  ///< empty for the master alone
  Decibels gain;
  bool muted = false;
  Hertz low_pass;  ///< 0 for none
  Hertz high_pass;
  std::string quality;  ///< empty: the parent's
  Place place;
};

/// One clip that a sound names: its path relative to the folder of clips.
struct BookClip {
  std::string path;
  Place place;
};

struct BookSound {
  std::string name;
  std::string group = "master";
  std::vector<BookClip> clips;
  std::string pick = "shuffle";
  Range<Decibels> gain;
  Range<Semitones> pitch;
  Range<Pan> pan;
  int rank = 5;
  Hertz low_pass;  ///< 0 for none
  Hertz high_pass;
  std::string quality;  ///< empty: the group's
  bool loop = false;
  std::optional<bool> stream;  ///< none: clips of more than half a minute do
  Seconds fade_in;
  Seconds fade_out;
  Place place;
};

struct BookResponse {
  enum class Kind { start, stop };
  Kind kind = Kind::start;
  std::string sound;
  Seconds delay;
  Seconds fade;  ///< of a stop: the sound's own fade-out unless it says otherwise
  Place place;
};

struct BookEvent {
  std::string name;
  std::vector<BookResponse> responses;
  Place place;
};

struct Book {
  std::string name;
  std::string file;
  std::string clips_folder;       ///< as a path that can be opened
  std::string soundfont;          ///< for MIDI, the same; may be empty
  std::vector<BookGroup> groups;  ///< the master first, parents before children
  std::vector<BookSound> sounds;
  std::vector<BookEvent> events;
};

struct ReadBook {
  Book book;
  std::vector<Problem> problems;  ///< in the order of the file; empty where the book is sound
};

/// Reads a book and the list of its folder of clips. Never throws for what is in the file: every problem is reported.
ReadBook read_book(const std::string& path);

/// The same from text; `path` says where the text would lie.
ReadBook parse_book(std::string_view text, const std::string& path);

/// Decodes every clip that the book uses and reports those that cannot be played.
std::vector<Problem> check_clips(const Book& book);

/// One key that a book can have, as docs/book.md lists it.
struct BookKey {
  std::string_view section;  ///< "book", "groups", "sounds", "events", "responses"
  std::string_view key;
  std::string_view takes;     ///< kind of value and its unit
  std::string_view standard;  ///< what holds where the key is missing; empty where it must be there
  std::string_view example;
  std::string_view meaning;
};

/// All keys that the parser knows, in the order in which docs/book.md explains them.
const std::vector<BookKey>& book_keys();

}  // namespace tidewater
