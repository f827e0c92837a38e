#include "tidewater/author/pack.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstddef>
#include <filesystem>
#include <memory>
#include <set>
#include <vector>

#include "author/clips/book_clips.hpp"
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

PackedBank pack_one(const Book& book, const std::string& folder, Hertz rate) {
  namespace fs = std::filesystem;
  const Bank bank = compile(book, {rate});
  std::error_code trouble;
  fs::create_directories(folder, trouble);
  if (trouble) throw Error(folder + ": the folder cannot be made: " + trouble.message());
  PackedBank packed;
  packed.name = bank.name();
  packed.file = (fs::path(folder) / (packed.name + ".tidebank")).string();
  packed.changed = write_bank(bank, packed.file);
  packed.bytes = fs::file_size(packed.file);
  packed.events = bank.events().size();
  packed.sounds = bank.sounds().size();
  packed.clips = bank.clips();
  std::set<std::string> made_of = {book.file};
  for (const BookSound& sound : book.sounds)
    sound.each_clip([&](const BookLayer&, const BookClip& clip) {
      const fs::path its = clip_file(book, clip.path);
      if (!fs::exists(its)) return;  // a sketch of the book's own
      made_of.insert(its.string());
      made_of.insert(its.parent_path().string());
    });
  packed.made_of.assign(made_of.begin(), made_of.end());
  return packed;
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
  std::vector<PackedBank> packed;
  for (const Book& part : parts) packed.push_back(pack_one(part, folder, options.rate));
  return packed;
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
