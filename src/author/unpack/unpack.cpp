#include "tidewater/author/unpack.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <memory>
#include <set>
#include <string_view>
#include <vector>

#include "author/pack/names.hpp"
#include "author/pack/stream_bytes.hpp"
#include "author/unpack/book_of.hpp"
#include "bank/bank_data.hpp"
#include "bank/bank_samples.hpp"
#include "bank/bases.hpp"
#include "base/text.hpp"
#include "base/whole_file.hpp"
#include "dsp/resample.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

/// The ending that a file with these first bytes has; empty where they are of no kind that says so.
std::string ending_of(std::string_view head) {
  return head == "fLaC" ? ".flac" : head == "OggS" ? ".ogg" : head == "RIFF" ? ".wav" : head == "FORM" ? ".aiff" : "";
}

/// Whether the file of a clip has to mark a loop. A streamed clip is copied as it is, and the book has its loop.
bool is_looped_within(const BankClip& clip) { return clip.loop_from > 0 && clip.streamed == nullptr; }

std::string file_of(const BankClip& clip) {
  const fs::path name = fs::path(clip.name);
  std::string ending = clip.shorts.empty() || is_looped_within(clip) ? ".wav" : ".flac";
  if (clip.streamed != nullptr) {
    std::array<char, 4> head{};
    stream_bytes(*clip.streamed)->read(0, std::as_writable_bytes(std::span(head)));
    ending = ending_of({head.data(), head.size()});
    if (ending.empty()) ending = name.extension().string();
  }
  fs::path file = name;
  return file.replace_extension(ending).string();
}

/// A name of its own for each, inside the folder: who writes a bank may call a clip anything.
std::vector<std::string> files_of(const BankData& bank) {
  std::set<std::string> taken;
  std::vector<std::string> files;
  for (const BankClip& clip : bank.clips) {
    fs::path path = fs::path(file_of(clip)).lexically_normal().relative_path();
    const auto hidden = [](const fs::path& part) { return part.string().starts_with('.'); };
    if (!path.has_filename() || std::any_of(path.begin(), path.end(), hidden))
      path = fmt::format("clip-{}{}", files.size() + 1, path.extension().string());
    const fs::path plain = path;
    for (int number = 2; !taken.insert(path.string()).second; ++number)
      path = plain.parent_path() / fmt::format("{}-{}{}", plain.stem().string(), number, plain.extension().string());
    files.push_back(path.string());
  }
  return files;
}

void write_stream(const BankClip& clip, const std::string& path) {
  WholeFile out(path);
  const std::unique_ptr<Bytes> bytes = stream_bytes(*clip.streamed);
  std::vector<std::byte> piece(std::size_t{1} << 16);
  std::uint64_t at = 0;
  for (std::size_t got = 0; (got = bytes->read(at, piece)) > 0; at += got) out.write({reinterpret_cast<const char*>(piece.data()), got});
  if (at != bytes->size()) throw Error(fmt::format("'{}': it could be read up to byte {} of {}", clip.streamed->path, at, bytes->size()));
  out.commit();
}

void write_samples(const BankClip& clip, Hertz rate, const std::string& path) {
  const auto channels = static_cast<std::size_t>(clip.channels), frames = static_cast<std::size_t>(clip.frames);
  const auto stride = frames + 2 * static_cast<std::size_t>(reach);
  SF_INFO info{};
  info.samplerate = static_cast<int>(rate.value);
  info.channels = clip.channels;
  info.format = path.ends_with(".flac") ? SF_FORMAT_FLAC | SF_FORMAT_PCM_16
                                        : SF_FORMAT_WAV | (clip.shorts.empty() ? SF_FORMAT_FLOAT : SF_FORMAT_PCM_16);
  const std::string beside = path + ".part";
  const auto failed = [&] { return Error(fmt::format("{}: cannot be written; is the disk full?", path)); };
  std::unique_ptr<SNDFILE, int (*)(SNDFILE*)> file(sf_open(beside.c_str(), SFM_WRITE, &info), sf_close);
  if (file == nullptr) throw failed();
  if (is_looped_within(clip)) {
    SF_INSTRUMENT points{};
    points.gain = 1;
    points.key_hi = points.velocity_hi = 127;
    points.loop_count = 1;
    points.loops[0].mode = SF_LOOP_FORWARD;
    points.loops[0].start = static_cast<std::uint32_t>(clip.loop_from);
    points.loops[0].end = static_cast<std::uint32_t>(clip.frames);
    sf_command(file.get(), SFC_SET_INSTRUMENT, &points, sizeof points);
  }
  bool good = true;
  std::vector<std::int16_t> shorts(4096 * channels);
  std::vector<float> floats(4096 * channels);
  for (std::size_t at = 0; at < frames && good; at += 4096) {
    const std::size_t count = std::min<std::size_t>(frames - at, 4096);
    for (std::size_t c = 0; c < channels; ++c)
      for (std::size_t i = 0; i < count; ++i) {
        const std::size_t from = c * stride + reach + at + i;
        if (clip.shorts.empty())
          floats[i * channels + c] = clip.floats[from];
        else
          shorts[i * channels + c] = clip.shorts[from];
      }
    const auto wanted = static_cast<sf_count_t>(count);
    good = (clip.shorts.empty() ? sf_writef_float(file.get(), floats.data(), wanted)
                                : sf_writef_short(file.get(), shorts.data(), wanted)) == wanted;
  }
  good = sf_close(file.release()) == 0 && good;
  std::error_code trouble;
  if (good) fs::rename(beside, path, trouble);
  if (!good || trouble) throw failed();
}

}  // namespace

Book book_of(const Bank& bank, const std::string& called) { return book_of(data_of(bank), called); }

Bank open_bank_with_names(const std::string& path) {
  const Bank bank = open_bank(path);
  const std::string names = fs::path(path).replace_extension(".names").string();
  return fs::exists(names) ? with_names(bank, read_names(names)) : bank;
}

Unpacked unpack(const Bank& given, const std::string& folder, std::span<const Bank> bases) {
  std::vector<std::shared_ptr<const BankData>> there;
  for (const Bank& base : bases) there.push_back(BankInside::of(base));
  const Read<Bank> whole = with_bases(given, there);
  if (!whole.value) throw Error(whole.problem);
  const Bank bank = with_all_samples(*whole.value);
  const BankData& data = data_of(bank);
  Unpacked unpacked;
  unpacked.book = (fs::path(folder) / "book.toml").string();
  if (fs::exists(unpacked.book)) throw Error(unpacked.book + ": there is a book already; name another folder");
  const auto must_be_writable = [](const std::string& name, const char* what) {
    if (!can_be_written(name))
      throw Error(fmt::format("the bank has a {} '{}', which no book can name; nothing was unpacked", what, printable(name)));
  };
  for (const BankClip& clip : data.clips) must_be_writable(clip.name, "clip");
  for (const BankSound& sound : data.sounds) must_be_writable(sound.name, "sound");
  for (const BankEvent& event : data.events) must_be_writable(event.name, "event");
  for (const BankGroup& group : data.groups) must_be_writable(group.name, "group");
  for (const BankMood& mood : data.moods) must_be_writable(mood.name, "mood");
  for (const BankScope& scope : data.scopes) must_be_writable(scope.name, "scope");
  const std::vector<std::string> files = files_of(data);
  for (std::size_t c = 0; c < files.size(); ++c) {
    const fs::path path = fs::path(folder) / "clips" / files[c];
    std::error_code trouble;
    fs::create_directories(path.parent_path(), trouble);
    if (trouble) throw Error(path.parent_path().string() + ": the folder cannot be made: " + trouble.message());
    if (data.clips[c].streamed != nullptr)
      write_stream(data.clips[c], path.string());
    else
      write_samples(data.clips[c], data.rate, path.string());
    ++unpacked.clips;
  }
  fs::create_directories(folder);
  WholeFile out(unpacked.book);
  out.write(text_of(book_of(data, unpacked.book, files)));
  out.commit();
  const ReadBook read = read_book(unpacked.book);
  if (!read.problems.empty()) throw Error("the book that was written is not good: " + to_text(read.problems.front()));
  unpacked.the_same = compile(read.book, {data.rate}).content() == bank.content();
  return unpacked;
}

}  // namespace tidewater
