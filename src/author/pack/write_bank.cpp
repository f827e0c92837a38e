#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <condition_variable>
#include <cstring>
#include <fstream>
#include <memory>
#include <mutex>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "author/pack/stream_bytes.hpp"
#include "author/pack/written_table.hpp"
#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"
#include "bank/bank_samples.hpp"
#include "base/whole_file.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

namespace file = bank_file;

std::string_view text_of(std::span<const std::byte> bytes) { return {reinterpret_cast<const char*>(bytes.data()), bytes.size()}; }

/// Parts what it is given into blocks, and hands them to `take`.
template <class Take>
class Blocks {
 public:
  explicit Blocks(Take take) : take_(take) { block_.reserve(file::block); }

  void add(std::span<const std::byte> bytes) {
    while (!bytes.empty()) {
      const std::size_t count = std::min<std::size_t>(bytes.size(), file::block - block_.size());
      block_.insert(block_.end(), bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(count));
      bytes = bytes.subspan(count);
      if (block_.size() == file::block) finish();
    }
  }
  /// Up to the next boundary, behind a payload of so many bytes.
  void add_zeros(std::uint64_t behind) {
    static constexpr std::array<std::byte, file::alignment> zeros{};
    add(std::span(zeros).first(static_cast<std::size_t>(file::rounded_up(behind) - behind)));
  }
  /// What comes next begins a block.
  void finish() {
    if (!block_.empty()) take_(std::span<const std::byte>(block_));
    block_.clear();
  }

 private:
  Take take_;
  std::vector<std::byte> block_;
};

/// All payloads of a bank, block by block.
template <class Take>
void each_block(const BankData& data, Take take) {
  Blocks<Take> blocks(take);
  for (const BankClip& clip : data.clips) {
    blocks.add(clip.shorts.empty() ? std::as_bytes(clip.floats) : std::as_bytes(clip.shorts));
    blocks.add_zeros(clip.bytes());
  }
  blocks.finish();
  std::vector<std::byte> piece(file::block);
  for (const BankClip& clip : data.clips) {
    if (clip.streamed == nullptr) continue;
    const std::unique_ptr<Bytes> bytes = stream_bytes(*clip.streamed);
    std::uint64_t at = 0;
    for (std::size_t got = 0; (got = bytes->read(at, piece)) > 0; at += got) blocks.add(std::span(piece).first(got));
    if (at != bytes->size()) throw Error(fmt::format("'{}': it could be read up to byte {} of {}", clip.streamed->path, at, bytes->size()));
    blocks.add_zeros(at);
  }
  blocks.finish();
}

/// Hands bytes on to a file from a thread of its own, so that the next are read and hashed meanwhile.
class Behind {
 public:
  explicit Behind(WholeFile& file) : file_(file), thread_([this] { work(); }) {}
  ~Behind() { finish(); }
  Behind(const Behind&) = delete;
  Behind& operator=(const Behind&) = delete;

  void write(std::span<const std::byte> bytes) {
    filling_.append(text_of(bytes));
    if (filling_.size() >= at_once) hand_on();
  }
  /// Returns when all is written.
  void finish() {
    if (!thread_.joinable()) return;
    hand_on();
    {
      const std::lock_guard lock(mutex_);
      done_ = true;
    }
    changed_.notify_all();
    thread_.join();
  }

 private:
  static constexpr std::size_t at_once = std::size_t{4} << 20;

  void hand_on() {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [this] { return writing_.empty(); });
    writing_.swap(filling_);
    lock.unlock();
    changed_.notify_all();
    filling_.clear();
  }
  void work() {
    std::string mine;
    std::unique_lock lock(mutex_);
    for (;;) {
      changed_.wait(lock, [this] { return !writing_.empty() || done_; });
      if (writing_.empty()) return;
      mine.swap(writing_);
      lock.unlock();
      file_.write(mine);
      mine.clear();
      lock.lock();
      changed_.notify_all();
    }
  }

  WholeFile& file_;
  std::mutex mutex_;
  std::condition_variable changed_;
  std::string filling_, writing_;
  bool done_ = false;
  std::thread thread_;
};

/// Whether a file is so large, and begins as this does, but for the hashes: in its header two, in its table as many as there are.
bool may_be(const std::string& path, std::uint64_t size, const std::string& beginning, std::uint64_t hashes) {
  std::ifstream in(path, std::ios::binary | std::ios::ate);
  if (!in || in.tellg() != static_cast<std::streamoff>(size)) return false;
  in.seekg(0);
  std::string there(beginning.size(), '\0');
  if (!in.read(there.data(), static_cast<std::streamsize>(there.size()))) return false;
  std::string both[2] = {beginning, there};
  for (std::string& its : both) {
    file::Header header;
    std::memcpy(&header, its.data(), sizeof header);
    header.table_hash = header.header_hash = 0;
    std::memcpy(its.data(), &header, sizeof header);
    for (std::uint32_t s = 0; s < header.sections; ++s) {
      file::Section section;
      std::memcpy(&section, its.data() + sizeof header + s * sizeof section, sizeof section);
      if (section.kind == file::Kind::hashes && section.count == hashes && section.at <= header.table_size)
        its.replace(static_cast<std::size_t>(sizeof header + section.at), static_cast<std::size_t>(hashes * sizeof(file::Hash)),
                    static_cast<std::size_t>(hashes * sizeof(file::Hash)), '\0');
    }
  }
  return both[0] == both[1];
}

bool begins_with(const std::string& path, const std::string& beginning) {
  std::ifstream in(path, std::ios::binary);
  std::string there(beginning.size(), '\0');
  return in && in.read(there.data(), static_cast<std::streamsize>(there.size())) && there == beginning;
}

std::size_t blocks_of(std::uint64_t bytes) { return static_cast<std::size_t>((bytes + file::block - 1) / file::block); }

}  // namespace

std::string beginning_of(WrittenTable& table, const std::vector<file::Hash>& hashes) {
  file::Header header;
  header.magic = file::magic;
  header.version = file::version;
  header.table_at = sizeof header;
  const std::vector<std::byte> bytes = table.bytes(header.table_at, hashes, header.sections);
  header.table_size = bytes.size();
  header.table_hash = file::hash_of(bytes);
  header.payload_at = header.table_at + header.table_size;
  header.streams_at = header.payload_at + table.payload_size();
  header.file_size = header.streams_at + table.streams_size();
  header.header_hash = file::hash_of(std::as_bytes(std::span(&header, 1)).first(offsetof(file::Header, header_hash)));
  return std::string(text_of(std::as_bytes(std::span(&header, 1)))) + std::string(text_of(bytes));
}

std::unique_ptr<Bytes> stream_bytes(const StreamedFile& file) {
  Read<std::unique_ptr<Bytes>> bytes = read_file(file);
  if (!bytes.value) throw Error(fmt::format("'{}': {}", file.path, bytes.problem));
  return *std::move(bytes.value);
}

bool write_bank(const Bank& given, const std::string& path) {
  const Bank bank = with_all_samples(given);
  const BankData& data = data_of(bank);
  WrittenTable table(data);
  const std::uint64_t payloads = table.payload_size(), streams = table.streams_size();
  std::vector<file::Hash> hashes(blocks_of(payloads) + blocks_of(streams));
  std::string beginning = beginning_of(table, hashes);
  // The table has hashes of all that follows it: where all else of it is there already, these are compared before anything is written.
  if (may_be(path, beginning.size() + payloads + streams, beginning, hashes.size())) {
    std::size_t known = 0;
    each_block(data, [&](std::span<const std::byte> block) { hashes.at(known++) = {file::hash_of(block)}; });
    if (begins_with(path, beginning_of(table, hashes))) return false;
  }

  WholeFile out(path);
  out.write(beginning);
  std::size_t written = 0;
  std::uint64_t bytes = 0;
  Behind behind(out);
  each_block(data, [&](std::span<const std::byte> block) {
    if (written < hashes.size()) hashes[written] = {file::hash_of(block)};
    ++written;
    bytes += block.size();
    behind.write(block);
  });
  behind.finish();
  if (written != hashes.size() || bytes != payloads + streams)
    throw Error(fmt::format("{}: a clip that streams was changed while it was packed; pack again", path));
  out.write_over_beginning(beginning_of(table, hashes));
  out.commit();
  return true;
}

}  // namespace tidewater
