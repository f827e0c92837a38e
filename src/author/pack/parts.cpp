#include "author/pack/parts.hpp"

#include "author/compile/compile_kept.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "author/clips/clip_facts.hpp"
#include "author/clips/ways.hpp"
#include "author/folder/pattern.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

bool has(const BookBank& bank, const BookEvent& event) {
  return std::any_of(bank.events.begin(), bank.events.end(),
                     [&](const std::string& pattern) { return Pattern(pattern, Pattern::Slashes::pass).fits(event.name); });
}

bool lends_to(const BookBank& bank, const BookSound& sound) {
  bool any = false;
  sound.each_clip([&](const BookLayer&, const BookClip& clip) { any = any || lends(bank, clip.path); });
  return any;
}

enum class Whose { started, all };

/// The sounds that the book's events start, or that they name at all.
std::set<std::string> sounds_of(const Book& book, Whose whose) {
  std::set<std::string> sounds;
  for (const BookEvent& event : book.events)
    for (const BookResponse& response : event.responses)
      if (response.acts_on_sound() && (whose == Whose::all || response.starts())) sounds.insert(response.target);
  // A track brings its ending and its bridges.
  for (bool more = true; more;) {
    more = false;
    for (const BookSound& sound : book.sounds) {
      if (!sound.track || !sounds.contains(sound.name)) continue;
      const auto add = [&](const std::string& track) { more = (!track.empty() && sounds.insert(track).second) || more; };
      add(sound.track->ending);
      for (const std::string& track : sound.list) add(track);
      for (const ChangeDesign& change : sound.track->changes) add(change.bridge);
    }
  }
  return sounds;
}

Book part_of(const Book& book, const BookBank& bank) {
  Book part = book;
  part.name = bank.name;
  part.banks = {bank};
  if (!bank.clips.empty()) {
    part.events.clear();
    std::erase_if(part.sounds, [&](const BookSound& sound) { return !lends_to(bank, sound); });
    return part;
  }
  std::erase_if(part.events, [&](const BookEvent& event) { return !has(bank, event); });
  const std::set<std::string> needed = sounds_of(part, Whose::all);
  std::erase_if(part.sounds, [&](const BookSound& sound) { return !needed.contains(sound.name); });
  return part;
}

/// A bank that stops a sound which it does not start would do nothing.
std::vector<Problem> wrong_stops(const std::vector<Book>& parts) {
  std::vector<Problem> wrong;
  for (const Book& part : parts) {
    const std::set<std::string> started = sounds_of(part, Whose::started);
    for (const BookEvent& event : part.events)
      for (const BookResponse& response : event.responses) {
        if (!response.acts_on_sound() || response.starts() || started.contains(response.target)) continue;
        const auto other = std::find_if(parts.begin(), parts.end(),
                                        [&](const Book& its) { return sounds_of(its, Whose::started).contains(response.target); });
        if (other == parts.end()) continue;
        wrong.push_back({response.place, fmt::format("'{}' is in bank '{}', and would {} '{}', which bank '{}' starts: a bank acts on what "
                                                     "it started itself; put both into one",
                                                     event.name, part.name, word_of(response.verb), response.target, other->name)});
      }
  }
  return wrong;
}

std::vector<Book> all_parts(const Book& book) {
  std::vector<Book> parts;
  for (const BookBank& bank : book.banks) parts.push_back(part_of(book, bank));
  std::stable_partition(parts.begin(), parts.end(), only_lends);
  return parts;
}

/// Problems of clips that only another language has.
std::vector<Problem> problems_in_language(const Book& book, const std::string& language) {
  std::vector<Problem> problems;
  std::set<std::string> known;
  Book spoken = book;
  for (BookSound& sound : spoken.sounds)
    for (BookLayer& layer : sound.layers)
      for (BookChoice& choice : layer.choices)
        std::erase_if(choice.clips, [&](BookClip& clip) {
          const std::string its = clip_in(book, clip.path, language);
          if (its == clip.path || !known.insert(its).second) return true;
          clip.path = its;
          return false;
        });
  if (known.empty()) return problems;
  const auto facts = facts_of(spoken);
  for (const BookSound& sound : spoken.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      const auto its = facts.find(clip.path);
      if (its != facts.end() && !its->second.problem.empty())
        problems.push_back({clip.place, fmt::format("clip '{}', in language '{}': {}", clip.path, language, its->second.problem)});
    });
  return problems;
}

}  // namespace

bool lends(const BookBank& bank, const std::string& clip) {
  return std::any_of(bank.clips.begin(), bank.clips.end(), [&](const std::string& its) { return files_named(its).fits(clip); });
}

bool only_lends(const Book& part) { return !part.banks.empty() && !part.banks.front().clips.empty(); }

std::vector<Book> parts_of(const Book& book) {
  if (book.banks.empty()) return {book};
  std::vector<Book> parts = all_parts(book);
  std::string wrong;
  for (const Problem& problem : wrong_stops(parts)) wrong += (wrong.empty() ? "" : "\n") + to_text(problem);
  if (!wrong.empty()) throw Error(wrong);
  return parts;
}

std::vector<Problem> check_packing(const Book& book) {
  std::vector<Problem> problems;
  if (!book.banks.empty()) problems = wrong_stops(all_parts(book));
  if (book.languages.empty()) return problems;
  const std::string first = book.speech + "/" + book.languages.front() + "/";
  bool any = false;
  std::set<std::string> told;
  for (const BookSound& sound : book.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      any = any || is_spoken(book, clip.path);
      if (const std::string said = said_first_as(book, clip.path); !said.empty() && told.insert(clip.path).second)
        problems.push_back(
            {clip.place, fmt::format("'{}' is not in the first language of 'languages', '{}': name '{}', or put the language of "
                                     "the book's clips first",
                                     clip.path, book.languages.front(), said)});
    });
  if (!any && told.empty())
    problems.push_back({{book.file, 0, 0},
                        fmt::format("no clip lies in '{}', so there is no speech for the languages {}: 'speech' names the folder "
                                    "of clips that has a folder for each language",
                                    first, fmt::join(book.languages, ", "))});
  for (std::size_t l = 1; l < book.languages.size(); ++l)
    for (Problem& problem : problems_in_language(book, book.languages[l])) problems.push_back(std::move(problem));
  return problems;
}

std::vector<std::string> left_out(const Book& book) {
  std::vector<std::string> events;
  for (const BookEvent& event : book.events)
    if (!book.banks.empty() && std::none_of(book.banks.begin(), book.banks.end(), [&](const BookBank& bank) { return has(bank, event); }))
      events.push_back(event.name);
  return events;
}

std::vector<SharedClip> shared_clips(const Book& book) {
  std::map<std::string, std::set<std::string>> banks_of;
  const std::vector<Book> parts = parts_of(book);
  for (const Book& part : parts) {
    if (only_lends(part)) continue;
    const auto is_lent = [&](const std::string& clip) {
      return std::any_of(parts.begin(), parts.end(), [&](const Book& other) {
        const auto& needs = part.banks.front().needs;
        return only_lends(other) && std::find(needs.begin(), needs.end(), other.name) != needs.end() && lends(other.banks.front(), clip);
      });
    };
    for (const BookSound& sound : part.sounds)
      sound.each_clip([&](const BookLayer&, const BookClip& clip) {
        if (!part.banks.empty() && !is_lent(clip.path)) banks_of[clip.path].insert(part.name);
      });
  }
  std::vector<SharedClip> shared;
  for (const auto& [clip, banks] : banks_of)
    if (banks.size() > 1) shared.push_back({clip, {banks.begin(), banks.end()}});
  return shared;
}

std::vector<Bank> compile_banks(const Book& book, const CompileOptions& options) { return compile_banks_kept(book, options, nullptr); }

std::vector<Bank> compile_banks_kept(const Book& book, const CompileOptions& options, KeptClips* kept) {
  if (book.banks.empty()) return {compile_kept(book, options, kept)};
  std::vector<Bank> banks;
  for (const Book& part : parts_of(book))
    if (!only_lends(part)) banks.push_back(compile_kept(part, options, kept));  // each has all its own here
  return banks;
}

}  // namespace tidewater
