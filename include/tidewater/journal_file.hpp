#pragma once
/// Writes the journal to a file, a line an entry. In the library `tidewater_journal`.
///
///     JournalFile journal("out/game.journal.jsonl");
///     SoundManager manager({.journal = journal.sink()});

#include <memory>
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/journal.hpp"

namespace TIDEWATER_API tidewater {

/// One JSON object, without the line's end.
std::string to_json(const JournalEntry& entry);

/// Writes a journal as JSON Lines. The file takes its name when the object ends or is closed; an older one of that name stays
/// as it was until then, and where the new one cannot be written to its end. Each line is with the system before the next: a
/// crash leaves all that was handed on in NAME.*.part. In which order it and its manager end does not matter: what comes
/// after `close` is added to the file.
/// Thread: calls of the sink must not overlap; those of one manager never do.
class JournalFile {
 public:
  /// Throws Error where the file cannot be made.
  explicit JournalFile(std::string path);
  ~JournalFile();
  JournalFile(const JournalFile&) = delete;
  JournalFile& operator=(const JournalFile&) = delete;

  void write(const JournalEntry& entry);
  /// Throws Error where the disk is full.
  void close();
  JournalSink sink();

 private:
  struct State;
  std::shared_ptr<State> state_;
};

}  // namespace tidewater
