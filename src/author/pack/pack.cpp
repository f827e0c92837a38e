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
#include "author/compile/content.hpp"
#include "author/pack/borrow.hpp"
#include "author/pack/names.hpp"
#include "author/pack/parts.hpp"
#include "author/pack/patch.hpp"
#include "bank/bank_data.hpp"
#include "bank/bank_samples.hpp"
#include "base/nearest.hpp"
#include "media/bytes.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {

namespace {

namespace fs = std::filesystem;

/// Calls `take(path)` for each clip that a part's bank has or needs.
template <class Take>
void each_clip_of(const Book& part, Take take) {
  for (const BookSound& sound : part.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      if (!only_lends(part) || lends(part.banks.front(), clip.path)) take(clip.path);
    });
}

bool has_speech(const Book& part) {
  bool any = false;
  each_clip_of(part, [&](const std::string& clip) { any = any || is_spoken(part, clip); });
  return any;
}

/// A bank of clips alone, for others: none of its own sounds, and read when one of theirs needs them.
Bank lending(const Book& part, const Bank& compiled) {
  auto data = std::make_shared<BankData>(data_of(compiled));
  data->sounds.clear();
  data->events.clear();
  data->groups.resize(1);
  data->scopes.resize(1);
  std::erase_if(data->clips, [&](const BankClip& clip) {
    const std::string said = said_first_as(part, clip.name);  // a book names the clips of its first language
    return !lends(part.banks.front(), said.empty() ? clip.name : said);
  });
  for (BankClip& clip : data->clips) clip.preload = false;
  note_contents(*data);
  return bank_of(std::move(data));
}

/// The same bank without the clips that those have which it needs.
Bank without_what_is_lent(const Book& part, const Bank& compiled, const std::vector<Bank>& lenders) {
  if (part.banks.empty() || part.banks.front().needs.empty()) return compiled;
  auto data = std::make_shared<BankData>(data_of(compiled));
  for (const std::string& need : part.banks.front().needs)
    for (const Bank& lender : lenders)
      if (lender.name() == need && (lender.language().empty() || lender.language() == compiled.language()))
        borrow(*data, data_of(lender), false);
  return bank_of(std::move(data));
}

/// The folder in which a clip's recording in a language is, or would appear: itself, or what there is of the way to it.
fs::path where_it_would_come(const Book& book, const std::string& clip, const std::string& language) {
  const std::string rest = clip.substr(book.speech.size() + book.languages.front().size() + 2);
  fs::path folder = fs::path(clip_file(book, book.speech + "/" + language + "/" + rest)).parent_path();
  while (!fs::exists(folder) && folder.has_relative_path()) folder = folder.parent_path();
  return folder;
}

PackedBank pack_one(const Book& book, const std::string& folder, const PackOptions& options, const std::string& language,
                    std::vector<Bank>& lenders) {
  PackedBank packed;
  packed.name = book.name;
  packed.language = language;
  packed.file = (fs::path(folder) / fmt::format("{}{}{}.tidebank", book.name, language.empty() ? "" : ".", language)).string();
  CompileOptions how{options.rate, options.target, language};
  if (options.progress) how.progress = [&](std::size_t done, std::size_t all) { options.progress(packed.file, done, all); };
  Bank bank = compile(book, how);
  if (only_lends(book))
    lenders.push_back(bank = lending(book, bank));
  else
    bank = without_what_is_lent(book, bank, lenders);
  std::error_code trouble;
  fs::create_directories(folder, trouble);
  if (trouble) throw Error(folder + ": the folder cannot be made: " + trouble.message());
  packed.changed = write_as_target_says(bank, book, options.target, packed.file);
  packed.bytes = fs::file_size(packed.file);
  packed.events = bank.events().size();
  packed.sounds = bank.sounds().size();
  packed.clips = bank.clips();
  std::set<std::string> made_of = {book.file};
  each_clip_of(book, [&](const std::string& clip) {
    const fs::path its = clip_file(book, clip_in(book, clip, language));
    if (!fs::exists(its)) return;  // a sketch of the book's own
    made_of.insert(its.string());
    made_of.insert(its.parent_path().string());
    if (is_spoken(book, clip) && !language.empty()) made_of.insert(where_it_would_come(book, clip, language).string());
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
  if (!options.patch_of.empty()) return pack_patches(book, folder, options);
  std::vector<Book> parts = parts_of(book);
  if (!options.bank.empty()) {
    std::vector<std::string> names;
    for (const Book& part : parts) names.push_back(part.name);
    const auto known = std::find_if(parts.begin(), parts.end(), [&](const Book& part) { return part.name == options.bank; });
    std::vector<std::string> wanted = {options.bank};
    if (known != parts.end() && !known->banks.empty())  // and what it needs
      wanted.insert(wanted.end(), known->banks.front().needs.begin(), known->banks.front().needs.end());
    std::erase_if(parts, [&](const Book& part) { return std::find(wanted.begin(), wanted.end(), part.name) == wanted.end(); });
    if (parts.empty()) {
      const std::string near = did_you_mean(options.bank, {names.begin(), names.end()});
      throw Error(fmt::format("{}: there is no bank '{}'{}", book.file, options.bank,
                              near.empty() ? fmt::format("; there is {}", fmt::join(names, ", ")) : near));
    }
  }
  const std::vector<std::string> languages = languages_of(book, options);
  std::vector<PackedBank> packed;
  std::vector<Bank> lenders;
  for (const Book& part : parts) {
    if (!has_speech(part)) {
      packed.push_back(pack_one(part, folder, options, {}, lenders));
      continue;
    }
    for (const std::string& language : languages) packed.push_back(pack_one(part, folder, options, language, lenders));
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
