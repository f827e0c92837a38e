#include "tidewater/author/credits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <optional>
#include <set>
#include <sstream>
#include <unordered_map>

#include "author/book/read_credits.hpp"
#include "author/clips/ways.hpp"
#include "author/folder/clip_folder.hpp"
#include "author/folder/pattern.hpp"
#include "base/whole_file.hpp"

namespace tidewater {
namespace {

/// Credits by what they are about: a name is itself, a folder all that is in it, a pattern what it fits.
class ByClip {
 public:
  explicit ByClip(const std::vector<BookCredit>& credits) : credits_(credits) {
    for (std::size_t i = 0; i < credits.size(); ++i)
      for (const auto& about : credits[i].clips) {
        Pattern pattern = files_named(about);
        if (pattern.plain())
          names_[about] = i;
        else
          patterns_.emplace_back(std::move(pattern), i);
      }
  }

  /// The last one about a clip.
  std::optional<BookCredit> of(const std::string& clip) const {
    std::optional<std::size_t> last;
    if (const auto named = names_.find(clip); named != names_.end()) last = named->second;
    for (auto it = patterns_.rbegin(); it != patterns_.rend() && (!last || it->second > *last); ++it)
      if (it->first.fits(clip)) last = it->second;
    return last ? std::optional(credits_[*last]) : std::nullopt;
  }

 private:
  const std::vector<BookCredit>& credits_;
  std::unordered_map<std::string, std::size_t> names_;
  std::vector<std::pair<Pattern, std::size_t>> patterns_;
};

struct CreditsFile {
  std::vector<BookCredit> credits;
  std::vector<Problem> problems;
};

CreditsFile read_file(const Book& book) {
  CreditsFile result;
  const auto path = (std::filesystem::path(book.clips_folder) / "credits.toml").generic_string();
  std::ifstream in(path, std::ios::binary);
  if (!in) return result;
  std::ostringstream text;
  text << in.rdbuf();
  Problems problems(path);
  const Document document = read_document(text.str(), problems);
  check_keys(problems, document.root, "", {"credits"});
  read_credits(problems, document.root, result.credits);
  result.problems = problems.take();
  return result;
}

void about_nothing(const std::vector<BookCredit>& credits, const ClipFolder& folder, std::vector<Problem>& idle) {
  for (const auto& credit : credits)
    for (const auto& about : credit.clips)
      if (!about.empty() && folder.matching(files_named(about)).empty())
        idle.push_back({credit.place, fmt::format("no clip fits '{}'{}", about, folder.advice_for(about))});
}

}  // namespace

Credits credits_of(const Book& book) {
  Credits result;
  const ClipFolder folder(book.clips_folder);
  std::set<std::string> clips;
  for (const auto& sound : book.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      if (book.sketches.contains(clip.path)) return;
      clips.insert(clip.path);
      for (const std::string& language : book.languages) clips.insert(clip_in(book, clip.path, language));
    });
  const CreditsFile file = read_file(book);
  result.problems = file.problems;
  for (const auto* credits : {&file.credits, &book.credits}) about_nothing(*credits, folder, result.idle);
  struct Work {
    BookCredit credit;
    std::vector<std::string> clips;
  };
  std::map<std::string, std::map<std::string, Work>> by_licence;
  const ByClip by_book(book.credits);
  const ByClip by_file(file.credits);
  for (const auto& clip : clips) {
    auto credit = by_book.of(clip);
    if (!credit) credit = by_file.of(clip);
    if (!credit || credit->licence.empty()) {
      result.without.push_back(clip);
      if (credit) result.unfilled.push_back(clip);
      continue;
    }
    Work& work = by_licence[credit->licence][credit->author + "\n" + credit->source + "\n" + credit->link];
    work.credit = *credit;
    work.clips.push_back(clip);
  }
  for (const auto& [licence, works] : by_licence) {
    result.text += fmt::format("{}{}\n", result.text.empty() ? "" : "\n", licence);
    for (const auto& [key, work] : works) {
      const BookCredit& credit = work.credit;
      result.text += fmt::format("  {}{}{}\n", credit.author.empty() ? "(author not named)" : credit.author,
                                 credit.source.empty() ? "" : ": " + credit.source, credit.link.empty() ? "" : "\n    " + credit.link);
      std::string line = "   ";
      for (const auto& clip : work.clips) {
        if (line.size() + clip.size() > 98) {
          result.text += line + "\n";
          line = "   ";
        }
        line += " " + clip;
      }
      result.text += line + "\n";
    }
  }
  return result;
}

void write_credits(const Credits& credits, const std::string& path) { write_whole_file(path, credits.text); }

}  // namespace tidewater
