#include "tidewater/author/gather.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <sstream>

#include "author/clip_folder.hpp"
#include "author/music_formats.hpp"
#include "base/whole_file.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

bool is_digit(char c) { return c >= '0' && c <= '9'; }
bool is_letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'); }
bool is_joint(char c) { return c == '-' || c == '_' || c == ' ' || c == '.'; }

/// "gull-03" and "gull_b" without what tells one take from another: "gull".
std::string without_take(const std::string& stem) {
  std::string base = stem;
  while (!base.empty() && is_digit(base.back())) base.pop_back();
  const bool number = base.size() < stem.size();
  if (!number && base.size() > 2 && is_letter(base.back()) && is_joint(base[base.size() - 2])) base.pop_back();
  const bool take = base.size() < stem.size();
  while (take && !base.empty() && is_joint(base.back())) base.pop_back();
  return base.empty() ? stem : base;
}

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

std::string quoted(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    out += c;
  }
  return out + "\"";
}

std::string key_for(const std::string& name) {
  const bool bare = std::all_of(name.begin(), name.end(), [](char c) { return is_letter(c) || is_digit(c) || c == '-' || c == '_'; });
  return bare ? name : quoted(name);
}

/// One pattern where it fits these files and no others; else all their names.
std::string clips_of(const std::vector<std::string>& files, const std::string& base, const ClipFolder& folder) {
  const std::string ending = fs::path(files.front()).extension().string();
  if (files.size() > 1) {
    const char joint = files.front()[base.size()];
    const std::string pattern = base + (is_joint(joint) ? std::string(1, joint) : "") + "*" + ending;
    if (folder.matching(pattern) == files) return "[" + quoted(pattern) + "]";
  }
  std::string list;
  for (const auto& file : files) list += (list.empty() ? "" : ", ") + quoted(file);
  return "[" + list + "]";
}

std::string text_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

}  // namespace

Gathered gather(const std::string& folder, const std::string& book_path) {
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
    const std::string name = name_of(fs::absolute(book_path).parent_path().filename().string());
    book.clips_folder = folder;
    result.added = fmt::format("[book]\nname  = {}\nclips = {}\n", quoted(name), quoted(relative));
  }

  const auto inside =
      fs::weakly_canonical(folder, error).lexically_relative(fs::weakly_canonical(book.clips_folder, error)).generic_string();
  if (inside.empty() || inside.starts_with(".."))
    throw Error(fmt::format("{}: is not inside '{}', the book's folder of clips; move it there", folder, book.clips_folder));
  const std::string prefix = inside == "." ? "" : inside + "/";

  std::set<std::string> used, names;
  for (const auto& sound : book.sounds) {
    names.insert(sound.name);
    sound.each_clip([&](const BookLayer&, const BookClip& clip) { used.insert(clip.path); });
  }
  std::set<std::string> events;
  for (const auto& event : book.events) events.insert(event.name);

  const ClipFolder clips(book.clips_folder);
  if (!clips.problem().empty()) throw Error(clips.problem());
  std::map<std::pair<std::string, std::string>, std::vector<std::string>> takes;  // by base and ending
  for (const auto& file : clips.files()) {
    if (!file.starts_with(prefix) || used.contains(file) || !is_clip_name(file)) continue;
    const fs::path path(file);
    const std::string base = (path.parent_path() / without_take(path.stem().string())).generic_string();
    takes[{base, path.extension().string()}].push_back(file);
  }
  for (const auto& [kind, files] : takes) {
    const std::string name = name_of(kind.first);
    if (names.contains(name)) {
      std::string list;
      for (const auto& file : files) list += (list.empty() ? "" : ", ") + quoted(file);
      result.notes.push_back(fmt::format("there is a sound '{}' that does not use {}; add {} to its clips if {} to it", name, list,
                                         files.size() == 1 ? "it" : "them", files.size() == 1 ? "it belongs" : "they belong"));
      continue;
    }
    names.insert(name);
    result.sounds.push_back(name);
    result.clips += files.size();
    result.added += fmt::format("\n[sounds.{}]\nclips = {}\n", key_for(name), clips_of(files, kind.first, clips));
    if (events.insert(name).second) result.added += fmt::format("\n[events.{}]\nstart = {}\n", key_for(name), quoted(name));
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
