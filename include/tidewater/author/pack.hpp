#pragma once
/// Makes bank files of a book: what a game ships, and opens with `open_bank`.

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct PackOptions {
  /// Every clip is brought to this rate, from 8 to 192 kHz; 0: the target's, or else 48 kHz.
  Hertz rate = {};
  /// Only the bank of this name; empty for all.
  std::string bank = {};
  /// Of the book; empty for clips as they are.
  std::string target = {};
  /// Only this language; empty for all of the target's, or else of the book's.
  std::string language = {};
  /// Bank files that players have: of each that the book has, too, only what has changed since, as a bank that changes it.
  std::vector<std::string> patch_of = {};
  /// What a patch is called, where it is one: NAME-patch of the bank unless told otherwise.
  std::string patch_name = {};
  /// Of what several patches change, the highest counts.
  int priority = 1;
  /// Hears of each file how many clips of how many are prepared.
  std::function<void(const std::string& file, std::size_t done, std::size_t all)> progress = {};
};

struct PackedBank {
  std::string file;
  std::string name;
  std::string language;     ///< empty where it has no speech
  bool changed = true;      ///< false where the file was this very bank already, and was left alone
  std::uint64_t bytes = 0;  ///< of the file
  std::size_t events = 0, sounds = 0, clips = 0;
  /// All files that went in, and the folders in which others might come: where one changes, it is to be packed again.
  std::vector<std::string> made_of;
};

/// Writes `folder`/NAME.tidebank for each bank that the book names, or one of all that is called as the book; of a bank with speech
/// NAME.LANGUAGE.tidebank for each language. The folder is made where there is none. A file is there whole, or as it was before. Throws
/// Error with every clip that cannot be packed, one a line, where a file cannot be written, or there is no such bank, target or language.
/// The same book, clips and libraries give the same bytes. Thread: any. Takes as long as decoding takes.
///
/// With `patch_of` NAME-patch.tidebank for each of these: its sounds, events and clips that are not as they are there, and nothing of the
/// clips that are. A game loads it beside the bank that it changes, and may unload it again. Of a bank in which nothing has changed there
/// is none in the list. The bank's target, language and rate hold; banks that it has clips in lie beside it.
std::vector<PackedBank> pack(const Book& book, const std::string& folder, const PackOptions& options = {});

/// The same of a bank in memory, to a file. Of clips that stream, the files are read, and become part of it.
/// False where the file is this very bank already: then it is left alone.
bool write_bank(const Bank& bank, const std::string& path);

/// Problems that would stop `pack` for any target or language of a book that has no other problems: a clip of another language that cannot
/// be read, an event that stops a sound of another bank, speech that no language has. Decodes the clips of other languages; measurements of
/// earlier runs are used again.
std::vector<Problem> check_packing(const Book& book);

/// A clip of speech that a language has not: it is spoken in the book's first.
struct NotRecorded {
  std::string clip;  ///< as the book names it
  std::string language;
  std::string file;  ///< that is looked for, relative to the folder of clips
};
std::vector<NotRecorded> not_recorded(const Book& book);

/// Events of a book that names banks, and has them in none.
std::vector<std::string> left_out(const Book& book);

/// A clip that more than one of a book's banks has.
struct SharedClip {
  std::string clip;
  std::vector<std::string> banks;
};
std::vector<SharedClip> shared_clips(const Book& book);

/// Writes for build tools, as make and Ninja read it, that `of` is made of what went into these banks. Throws Error where it cannot be
/// written.
void write_depfile(const std::string& path, const std::string& of, const std::vector<PackedBank>& packed);

/// Reads all of a bank, what streams included, and compares every hash. Empty where all is as it was written, or else what is wrong.
std::string verify_bank(const std::string& path);

}  // namespace tidewater
