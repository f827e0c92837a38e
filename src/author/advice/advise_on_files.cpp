#include <filesystem>

#include "author/advice/advising.hpp"
#include "author/clips/book_clips.hpp"
#include "author/clips/music_formats.hpp"
#include "author/clips/ways.hpp"
#include "author/folder/clip_folder.hpp"
#include "media/clip_reader.hpp"
#include "tidewater/author/credits.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// A path without its ending, in lower case.
std::string stem_of(const std::string& path) {
  std::string stem = std::filesystem::path(path).replace_extension().generic_string();
  for (char& c : stem)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return stem;
}

/// By its first bytes: an unused file is not decoded.
bool can_be_read(const Book& book, const std::string& file) {
  if (is_music_as_notes(file)) return true;
  try {
    const ClipReader reader(clip_file(book, file));
    return true;
  } catch (const Error&) {
    return false;
  }
}

void about_unused(Advising& advising) {
  const FilePlace book{advising.book().file, 0, 0};
  std::map<std::string, std::string> used_stems;
  for (const auto& [path, uses] : advising.uses()) used_stems.emplace(stem_of(path), path);
  const ClipFolder folder(advising.book().clips_folder);
  for (const auto& file : folder.unwritable())
    if (is_clip_name(file))
      advising.advise(book, "unused-clip", file, 1,
                      fmt::format("'{}' has a name that no book can say: it is not UTF-8, or has control characters; rename it", file));
  for (const auto& file : folder.files()) {
    if (!is_clip_name(file) || advising.uses().contains(file) || advising.uses().contains(said_first_as(advising.book(), file))) continue;
    if (const auto near = used_stems.find(stem_of(file)); near != used_stems.end())
      advising.advise(
          book, "near-name", file, 0,
          fmt::format("'{}' differs from '{}' only in case or ending, and only the latter is used; which is meant?", file, near->second));
    else if (!can_be_read(advising.book(), file))
      advising.advise(
          book, "unused-clip", file, 0,
          fmt::format("no sound uses '{}', and it cannot be read as a clip; take it out of the folder, or put it there anew", file));
    else
      advising.advise(book, "unused-clip", file, 0, fmt::format("no sound uses '{}'; add it to one, or take it out of the folder", file));
  }
}

}  // namespace

void advise_on_files(Advising& advising) {
  // Where lines of the book had to be skipped, what seems unused may be used there.
  if (advising.book().whole) about_unused(advising);
  const Credits credits = credits_of(advising.book());
  for (const auto& problem : credits.problems) advising.problem(problem.place, problem.message);
  for (const auto& credit : credits.idle)
    advising.advise(credit.place, "needless-credit", credit.place.file, 0, "a credit is about nothing: " + credit.message);
  for (const auto& path : credits.without)
    advising.advise(
        {advising.book().file, 0, 0}, "no-licence", path, 0,
        fmt::format("'{}' has no licence on record; give it one in credits.toml in the folder of clips (`tidewater credits --begin` "
                    "adds what is missing, to be filled in)",
                    path));
}

}  // namespace tidewater
