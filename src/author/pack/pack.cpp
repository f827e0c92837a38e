#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstddef>
#include <filesystem>
#include <memory>
#include <set>
#include <vector>

#include "author/clips/book_clips.hpp"
#include "author/clips/ways.hpp"
#include "author/pack/parts.hpp"
#include "bank/bank_data.hpp"
#include "bank/bank_samples.hpp"
#include "media/bytes.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/nearest.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {

namespace {

namespace fs = std::filesystem;

bool has_speech(const Book& book) {
  bool any = false;
  for (const BookSound& sound : book.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) { any = any || is_spoken(book, clip.path); });
  return any;
}

/// The folder in which a clip's recording in a language is, or would appear: itself, or what there is of the way to it.
fs::path where_it_would_come(const Book& book, const std::string& clip, const std::string& language) {
  const std::string rest = clip.substr(book.speech.size() + book.languages.front().size() + 2);
  fs::path folder = fs::path(clip_file(book, book.speech + "/" + language + "/" + rest)).parent_path();
  while (!fs::exists(folder) && folder.has_relative_path()) folder = folder.parent_path();
  return folder;
}

PackedBank pack_one(const Book& book, const std::string& folder, const PackOptions& options, const std::string& language) {
  PackedBank packed;
  packed.name = book.name;
  packed.language = language;
  packed.file = (fs::path(folder) / fmt::format("{}{}{}.tidebank", book.name, language.empty() ? "" : ".", language)).string();
  CompileOptions how{options.rate, options.target, language};
  if (options.progress) how.progress = [&](std::size_t done, std::size_t all) { options.progress(packed.file, done, all); };
  const Bank bank = compile(book, how);
  std::error_code trouble;
  fs::create_directories(folder, trouble);
  if (trouble) throw Error(folder + ": the folder cannot be made: " + trouble.message());
  packed.changed = write_bank(bank, packed.file);
  packed.bytes = fs::file_size(packed.file);
  packed.events = bank.events().size();
  packed.sounds = bank.sounds().size();
  packed.clips = bank.clips();
  std::set<std::string> made_of = {book.file};
  for (const BookSound& sound : book.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      const fs::path its = clip_file(book, clip_in(book, clip.path, language));
      if (!fs::exists(its)) return;  // a sketch of the book's own
      made_of.insert(its.string());
      made_of.insert(its.parent_path().string());
      if (is_spoken(book, clip.path) && !language.empty()) made_of.insert(where_it_would_come(book, clip.path, language).string());
    });
  packed.made_of.assign(made_of.begin(), made_of.end());
  return packed;
}

/// Those that a bank with speech is packed for.
std::vector<std::string> languages_of(const Book& book, const PackOptions& options) {
  const BookTarget* target = target_called(book, options.target);
  std::vector<std::string> languages = target != nullptr && !target->languages.empty() ? target->languages : book.languages;
  if (options.language.empty()) return languages;
  if (std::find(languages.begin(), languages.end(), options.language) != languages.end()) return {options.language};
  const std::vector<std::string_view> known(languages.begin(), languages.end());
  const std::string near = did_you_mean(options.language, known);
  throw Error(fmt::format("{}: there is no language '{}'{}", book.file, options.language,
                          languages.empty() ? "; [book] lists them: languages = [\"en\", \"de\"]"
                          : near.empty()    ? fmt::format("; there is {}", fmt::join(languages, ", "))
                                            : near));
}

}  // namespace

std::vector<PackedBank> pack(const Book& book, const std::string& folder, const PackOptions& options) {
  std::vector<Book> parts = parts_of(book);
  if (!options.bank.empty()) {
    std::vector<std::string> names;
    for (const Book& part : parts) names.push_back(part.name);
    std::erase_if(parts, [&](const Book& part) { return part.name != options.bank; });
    if (parts.empty()) {
      const std::string near = did_you_mean(options.bank, {names.begin(), names.end()});
      throw Error(fmt::format("{}: there is no bank '{}'{}", book.file, options.bank,
                              near.empty() ? fmt::format("; there is {}", fmt::join(names, ", ")) : near));
    }
  }
  const std::vector<std::string> languages = languages_of(book, options);
  std::vector<PackedBank> packed;
  for (const Book& part : parts) {
    if (!has_speech(part)) {
      packed.push_back(pack_one(part, folder, options, {}));
      continue;
    }
    for (const std::string& language : languages) packed.push_back(pack_one(part, folder, options, language));
  }
  return packed;
}

std::vector<NotRecorded> not_recorded(const Book& book) {
  std::vector<NotRecorded> missing;
  std::set<std::string> known;
  for (const BookSound& sound : book.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      if (!is_spoken(book, clip.path) || !known.insert(clip.path).second) return;
      const std::string rest = clip.path.substr(book.speech.size() + book.languages.front().size() + 2);
      for (std::size_t l = 1; l < book.languages.size(); ++l)
        if (clip_in(book, clip.path, book.languages[l]) == clip.path)
          missing.push_back({clip.path, book.languages[l], fmt::format("{}/{}/{}", book.speech, book.languages[l], rest)});
    });
  return missing;
}

std::string verify_bank(const std::string& path) {
  const Read<Bank> bank = read_bank(path);
  if (!bank.value) return bank.problem;
  std::vector<std::byte> piece(1 << 16);
  SampleReader samples(data_of(*bank.value));
  for (const BankClip& clip : data_of(*bank.value).clips) {
    if (const Read<ClipData> read = samples.read(clip); !read.value) return read.problem;
    if (clip.streamed == nullptr) continue;
    const std::unique_ptr<Bytes> bytes = clip.streamed->open();
    std::uint64_t at = 0;
    for (std::size_t got = 0; (got = bytes->read(at, piece)) > 0;) at += got;
    if (at != bytes->size())
      return clip.streamed->path + ": the bank is damaged: what streams is not what was written; pack it again, or get the file again";
  }
  return {};
}

}  // namespace tidewater
