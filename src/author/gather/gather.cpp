#include "tidewater/author/gather.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <sstream>

#include "author/book/in_quotes.hpp"
#include "author/clips/clip_facts.hpp"
#include "author/clips/music_formats.hpp"
#include "author/folder/clip_folder.hpp"
#include "author/gather/gather_by_trait.hpp"
#include "base/text.hpp"
#include "base/whole_file.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

/// "steps/Wet Planks" as a name: "steps-wet-planks".
std::string name_of(const std::string& path) {
  std::string name;
  for (char c : path) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
    const bool plain = is_letter(c) || is_digit(c) || static_cast<unsigned char>(c) >= 0x80;
    if (plain)
      name += c;
    else if (!name.empty() && name.back() != '-')
      name += '-';
  }
  while (!name.empty() && name.back() == '-') name.pop_back();
  return name.empty() ? "sound" : name;
}

std::string key_for(const std::string& name) { return is_bare(name) ? name : in_quotes(name); }

/// One pattern where it fits these files and no others; else all their names.
std::string clips_of(const std::vector<std::string>& files, const std::string& base, const ClipFolder& folder) {
  if (files.size() > 1) {
    const std::string pattern = take_pattern(files, base);
    if (folder.matching(pattern) == files) return "[" + in_quotes(pattern) + "]";
  }
  std::string list;
  for (const auto& file : files) list += (list.empty() ? "" : ", ") + in_quotes(file);
  return "[" + list + "]";
}

std::string text_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

/// A sound that is to be: what it is called, what it takes in, and its lines.
struct Proposal {
  std::string name;
  std::vector<std::string> files;
  std::string clips;    ///< the value of its key `clips`
  std::string comment;  ///< a line above it, or empty
};

std::string comment_for(const TraitSound& sound, const std::string& name) {
  std::string values;
  for (std::size_t i = 0; i < sound.values.size(); ++i)
    values += fmt::format("{}{}", i == 0 ? "" : i + 1 == sound.values.size() ? " or " : ", ", in_quotes(sound.values[i]));
  return fmt::format("# One sound by trait: the game raises {} with kind = {}. Call the trait as you like.\n", name, values);
}

std::vector<Proposal> proposals_for(const std::vector<std::string>& files, const ClipFolder& folder) {
  std::vector<Proposal> proposals;
  std::set<std::string> taken;
  for (TraitSound& sound : sounds_by_trait(files, folder)) {
    taken.insert(sound.files.begin(), sound.files.end());
    const std::string name = name_of(sound.path);
    proposals.push_back({name, sound.files,
                         fmt::format("{{ files = {}, otherwise = [{}] }}", in_quotes(sound.pattern), in_quotes(sound.otherwise)),
                         comment_for(sound, name)});
  }
  std::map<std::pair<std::string, std::string>, std::vector<std::string>> takes;  // by base and ending
  for (const auto& file : files) {
    if (taken.contains(file)) continue;
    const fs::path path(file);
    takes[{(path.parent_path() / without_take(path.stem().string())).generic_string(), path.extension().string()}].push_back(file);
  }
  for (const auto& [kind, of_kind] : takes) proposals.push_back({name_of(kind.first), of_kind, clips_of(of_kind, kind.first, folder), {}});
  std::stable_sort(proposals.begin(), proposals.end(), [](const Proposal& a, const Proposal& b) { return a.name < b.name; });
  return proposals;
}

/// What has a name that a book would read as something else, or could not say at all.
void leave_out_unwritable(const ClipFolder& folder, const std::string& prefix, std::vector<std::string>& files,
                          std::vector<std::string>& skipped) {
  for (const auto& file : folder.unwritable())
    if (file.starts_with(prefix) && is_clip_name(file))
      skipped.push_back(fmt::format("'{}': its name is not UTF-8, or has control characters; rename it", file));
  std::erase_if(files, [&](const std::string& file) {
    if (file.find_first_of("*?{}") == std::string::npos) return false;
    skipped.push_back(fmt::format("'{}': in a book, * ? {{ and }} stand for other letters; rename it", file));
    return true;
  });
}

void leave_out_unplayable(const std::string& folder, std::vector<std::string>& files, std::vector<std::string>& skipped,
                          const std::function<void(std::size_t, std::size_t)>& progress) {
  Book book;
  book.clips_folder = folder;
  BookLayer& layer = book.sounds.emplace_back().layers.emplace_back();
  BookChoice& choice = layer.choices.emplace_back();
  for (const auto& file : files) choice.clips.push_back({file, 1, {}, {}});
  const auto facts = facts_of(book, progress);
  std::erase_if(files, [&](const std::string& file) {
    const std::string& problem = facts.at(file).problem;
    if (!problem.empty()) skipped.push_back(fmt::format("'{}': {}", file, problem));
    return !problem.empty();
  });
}

}  // namespace

Gathered gather(const std::string& folder, const std::string& book_path, const std::function<void(std::size_t, std::size_t)>& progress) {
  std::error_code error;
  if (!fs::is_directory(folder, error)) throw Error(fmt::format("{}: there is no such folder", folder));
  Gathered result;
  Book book;
  if (fs::exists(book_path, error)) {
    ReadBook read = read_book(book_path);
    std::string problems;
    for (const auto& problem : read.problems) problems += to_text(problem) + "\n";
    if (!problems.empty()) throw Error(problems + "mend the book first; then gather again");
    book = std::move(read.book);
    const std::string text = text_of(book_path);
    result.after_line =
        static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n')) + (text.empty() || text.back() == '\n' ? 0 : 1);
  } else {
    const auto relative = fs::relative(folder, fs::absolute(book_path).parent_path(), error).generic_string();
    const std::string name = name_of(fs::absolute(book_path).lexically_normal().parent_path().filename().string());
    book.clips_folder = folder;
    result.added = fmt::format("[book]\nname  = {}\nclips = {}\n", in_quotes(name), in_quotes(relative));
  }

  const auto inside =
      fs::weakly_canonical(folder, error).lexically_relative(fs::weakly_canonical(book.clips_folder, error)).generic_string();
  if (inside.empty() || inside.starts_with(".."))
    throw Error(fmt::format("{}: is not inside '{}', the book's folder of clips; move it there", folder, book.clips_folder));
  const std::string prefix = inside == "." ? "" : inside + "/";

  std::set<std::string> used, names, events;
  for (const auto& sound : book.sounds) {
    names.insert(sound.name);
    sound.each_clip([&](const BookLayer&, const BookClip& clip) { used.insert(clip.path); });
  }
  for (const auto& event : book.events) events.insert(event.name);

  const ClipFolder clips(book.clips_folder);
  if (!clips.problem().empty()) throw Error(clips.problem());
  std::vector<std::string> fresh;
  for (const auto& file : clips.files())
    if (file.starts_with(prefix) && !used.contains(file) && is_clip_name(file)) fresh.push_back(file);
  leave_out_unwritable(clips, prefix, fresh, result.skipped);
  leave_out_unplayable(book.clips_folder, fresh, result.skipped, progress);

  for (const Proposal& proposal : proposals_for(fresh, clips)) {
    const auto& [name, files, its_clips, comment] = proposal;
    if (!names.insert(name).second) {
      std::string list;
      for (const auto& file : files) list += (list.empty() ? "" : ", ") + in_quotes(file);
      result.notes.push_back(fmt::format("there is a sound '{}' that does not use {}; add {} to its clips if {} to it", name, list,
                                         files.size() == 1 ? "it" : "them", files.size() == 1 ? "it belongs" : "they belong"));
      continue;
    }
    result.sounds.push_back(name);
    result.clips += files.size();
    result.added += fmt::format("\n{}[sounds.{}]\nclips = {}\n", comment, key_for(name), its_clips);
    if (events.insert(name).second) result.added += fmt::format("\n[events.{}]\nstart = {}\n", key_for(name), in_quotes(name));
  }
  if (result.sounds.empty()) result.added.clear();
  return result;
}

void take_in(const Gathered& gathered, const std::string& book) {
  if (gathered.added.empty()) return;
  std::string text = text_of(book);
  if (!text.empty() && text.back() != '\n') text += '\n';
  text += gathered.added;
  write_whole_file(book, text);
}

}  // namespace tidewater
