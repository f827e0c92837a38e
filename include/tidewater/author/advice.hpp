#pragma once
/// What a book's clips and sounds could do better: nothing is broken, but somebody will hear it.

#include <functional>
#include <set>
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// One piece of advice: what, with its figure, why, and what to do.
struct Advice {
  FilePlace place;
  std::string kind;   ///< "leading-silence", "uneven-loudness", ...; docs/book.md lists them all
  std::string about;  ///< the clip or sound
  double weight = 0;  ///< how bad, beside others of its kind: the larger, the worse
  std::string message;
};

/// "harbour/book.toml:12:9: leading-silence: message"
std::string to_text(const Advice& advice);

struct Checked {
  std::vector<Problem> problems;  ///< what keeps the book from being compiled: clips that cannot be played, loops that cannot be
  std::vector<Advice> advice;     ///< what the book has not accepted
  std::size_t accepted = 0;       ///< how much advice the book has accepted, each with a reason
};

/// Decodes and measures every clip, on all cores; what was measured before is known by its content.
/// `progress` hears how many clips of how many are done.
Checked check_clips(const Book& book, const std::function<void(std::size_t, std::size_t)>& progress = {});

/// The advice of one kind, the worst first, and what weighs the same in the order of the book.
std::vector<const Advice*> worst_first(const std::vector<Advice>& advice, std::string_view kind);

/// The clips of a book that are sketches, by their recipe or by their file's own comment.
std::set<std::string> placeholders_of(const Book& book);

/// All kinds of advice and what each is about, what harms most first, as in docs/book.md.
struct AdviceKind {
  std::string_view kind;
  std::string_view meaning;
};
const std::vector<AdviceKind>& advice_kinds();

}  // namespace tidewater
