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
#include <unordered_map>
#include <vector>

#include "author/pack/stream_bytes.hpp"
#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"
#include "bank/bank_samples.hpp"
#include "base/whole_file.hpp"
#include "dsp/resample.hpp"
#include "tidewater/author/pack.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

namespace file = bank_file;

template <class Unit>
file::Span span_of(const Range<Unit>& range) {
  return {range.low.value, range.high.value};
}

std::string_view text_of(std::span<const std::byte> bytes) { return {reinterpret_cast<const char*>(bytes.data()), bytes.size()}; }

std::uint64_t rounded_up(std::uint64_t size) { return (size + file::alignment - 1) / file::alignment * file::alignment; }

/// Collects the records of a bank, and hands them out as a table.
class Table {
 public:
  explicit Table(const BankData& data) {
    file::About about;
    about.name = text(data.name);
    about.tool = text("tidewater " TIDEWATER_VERSION);
    about.target = text(data.target);
    about.language = text(data.language);
    about.reach = reach;
    about.content = data.content.value;
    about.priority = data.priority;
    about.rate = data.rate.value;
    about_.push_back(about);
    for (const BankBase& base : data.bases) bases_.push_back({text(base.name), base.content.value, base.replaces ? 1U : 0U, 0});
    for (const BankGroup& group : data.groups)
      groups_.push_back(
          {text(group.name), group.parent, group.muted ? 1U : 0U, group.gain.value, group.low_pass.value, group.high_pass.value});
    for (const BankSound& sound : data.sounds) sounds_.push_back(record_of(sound));
    for (const BankEvent& event : data.events) {
      file::Event record{text(event.name), begin(responses_, event.responses.size())};
      for (const BankResponse& response : event.responses)
        responses_.push_back({static_cast<std::uint32_t>(response.kind), response.sound, response.delay.value, response.fade.value});
      events_.push_back(record);
    }
    for (const BankClip& clip : data.clips) {
      file::Clip record;
      record.name = text(clip.name);
      record.samples = clip.shorts.empty() ? file::Samples::floats : file::Samples::sixteen_bits;
      record.channels = static_cast<std::uint32_t>(clip.channels);
      record.payload_size = clip.bytes();
      record.frames = clip.frames;
      record.loop_from = clip.loop_from;
      record.level = clip.level.value;
      record.on_use = clip.preload ? 0 : 1;
      record.base = clip.base;
      record.in_base = clip.in_base;
      record.fold = static_cast<double>(clip.fold);
      if (const StreamedFile* file = clip.streamed.get()) {
        record.stream_size = stream_bytes(*clip.streamed)->size();
        record.stream_frames = file->file_frames;
        record.stream_rate = file->rate.value;
        record.head = file->head;
      }
      clips_.push_back(record);
    }
  }

  /// Bytes of all payloads in memory, and of what lies between them; and of those that stream.
  std::uint64_t payload_size() const {
    std::uint64_t size = 0;
    for (const file::Clip& clip : clips_) size += rounded_up(clip.payload_size);
    return size;
  }
  std::uint64_t streams_size() const {
    std::uint64_t size = 0;
    for (const file::Clip& clip : clips_) size += rounded_up(clip.stream_size);
    return size;
  }

  /// The table as bytes, for payloads that begin at a multiple of the alignment behind it and have these hashes.
  std::vector<std::byte> bytes(std::uint64_t at, const std::vector<file::Hash>& hashes, std::uint32_t& sections) {
    std::uint64_t size = 0;
    sections = 0;
    const auto measure = [&](file::Kind, const auto& records) {
      ++sections;
      size += sizeof(file::Section) + (records.size() * sizeof(records[0]) + 7) / 8 * 8;
    };
    each(measure, hashes);
    std::uint64_t place = rounded_up(at + size);
    for (file::Clip& clip : clips_) {
      if (clip.payload_size == 0) continue;  // another bank has it
      clip.payload_at = place;
      place += rounded_up(clip.payload_size);
    }
    for (file::Clip& clip : clips_) {
      if (clip.stream_size == 0) continue;
      clip.stream_at = place;
      place += rounded_up(clip.stream_size);
    }
    std::vector<std::byte> all(static_cast<std::size_t>(rounded_up(at + size) - at));
    std::size_t section = 0, next = sections * sizeof(file::Section);
    each(
        [&](file::Kind kind, const auto& records) {
          const file::Section its{kind, sizeof(records[0]), next, records.size()};
          std::memcpy(all.data() + section, &its, sizeof its);
          section += sizeof its;
          if (!records.empty()) std::memcpy(all.data() + next, records.data(), records.size() * sizeof(records[0]));
          next += (records.size() * sizeof(records[0]) + 7) / 8 * 8;
        },
        hashes);
    return all;
  }

 private:
  template <class Take>
  void each(Take take, const std::vector<file::Hash>& hashes) {
    using file::Kind;
    take(Kind::texts, texts_), take(Kind::about, about_), take(Kind::groups, groups_), take(Kind::clips, clips_), take(Kind::uses, uses_);
    take(Kind::values, values_), take(Kind::choices, choices_), take(Kind::layers, layers_), take(Kind::sounds, sounds_);
    take(Kind::responses, responses_), take(Kind::events, events_), take(Kind::hashes, hashes);
    if (!bases_.empty()) take(Kind::bases, bases_);
  }

  /// Each text once.
  file::Text text(std::string_view its) {
    const auto [known, is_new] = places_.try_emplace(std::string(its), static_cast<std::uint32_t>(texts_.size()));
    if (is_new) texts_.insert(texts_.end(), its.begin(), its.end());
    return {known->second, static_cast<std::uint32_t>(its.size())};
  }
  template <class Record>
  static file::Part begin(const std::vector<Record>& records, std::size_t count) {
    return {static_cast<std::uint32_t>(records.size()), static_cast<std::uint32_t>(count)};
  }
  file::Part values(const std::vector<HashedText>& its) {
    const file::Part part = begin(values_, its.size());
    for (const HashedText& value : its) values_.push_back({text(value.text)});
    return part;
  }

  // Whoever leads to others has a place for all of them first, and they theirs after it: a reader finds them in order.

  file::Sound record_of(const BankSound& sound) {
    file::Sound record;
    record.name = text(sound.name);
    record.content = sound.content.value;
    record.group = sound.group;
    record.towards_middle = sound.towards_middle ? 1 : 0;
    for (std::size_t d = 0; d < draw_count; ++d) record.together |= (sound.together[d] ? 1U : 0U) << d;
    record.each_emitter = sound.each_emitter ? 1 : 0;
    record.retrigger = static_cast<std::uint32_t>(sound.retrigger);
    record.limit = sound.limit;
    record.when_full = static_cast<std::uint32_t>(sound.when_full);
    record.limit_each_emitter = sound.limit_each_emitter ? 1 : 0;
    record.rank = static_cast<std::uint32_t>(sound.rank);
    record.quality = !sound.quality ? 0 : *sound.quality == Quality::standard ? 1 : 2;
    record.gain = span_of(sound.gain);
    record.pitch = span_of(sound.pitch);
    record.pan = span_of(sound.pan);
    record.delay = span_of(sound.delay);
    record.low_pass = span_of(sound.low_pass);
    record.high_pass = sound.high_pass.value;
    record.spacing = sound.spacing.value;
    record.fade_in = sound.fade_in.value;
    record.fade_out = sound.fade_out.value;
    record.layers = begin(layers_, sound.layers.size());
    for (const BankLayer& layer : sound.layers) layers_.push_back(record_of(layer));
    return record;
  }

  file::Layer record_of(const BankLayer& layer) {
    file::Layer record;
    record.name = text(layer.name);
    record.by = values(layer.by);
    record.loop = layer.loop ? 1 : 0;
    record.pick = static_cast<std::uint32_t>(layer.pick);
    record.start_anywhere = layer.start_anywhere ? 1 : 0;
    record.chance = layer.chance;
    record.gain = span_of(layer.gain);
    record.pitch = span_of(layer.pitch);
    record.delay = span_of(layer.delay);
    record.start_at = span_of(layer.start_at);
    record.choices = begin(choices_, layer.choices.size());
    for (const BankChoice& choice : layer.choices) {
      file::Choice its{values(choice.values), begin(uses_, choice.clips.size()), choice.weighted ? 1U : 0U, choice.heavy, choice.again};
      for (const BankClipUse& use : choice.clips) uses_.push_back({use.clip, use.share, use.weight, use.trim.value});
      choices_.push_back(its);
    }
    return record;
  }

  std::unordered_map<std::string, std::uint32_t> places_;
  std::vector<char> texts_;
  std::vector<file::About> about_;
  std::vector<file::Base> bases_;
  std::vector<file::Group> groups_;
  std::vector<file::Clip> clips_;
  std::vector<file::Use> uses_;
  std::vector<file::Value> values_;
  std::vector<file::Choice> choices_;
  std::vector<file::Layer> layers_;
  std::vector<file::Sound> sounds_;
  std::vector<file::Response> responses_;
  std::vector<file::Event> events_;
};

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
    add(std::span(zeros).first(static_cast<std::size_t>(rounded_up(behind) - behind)));
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

/// A bank's header and table, for payloads with these hashes.
std::string beginning_of(Table& table, const std::vector<file::Hash>& hashes) {
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

std::unique_ptr<Bytes> stream_bytes(const StreamedFile& file) {
  try {
    return file.open ? file.open() : open_file(file.path);
  } catch (const Error& error) {
    throw Error(fmt::format("'{}': {}", file.path, error.what()));
  }
}

bool write_bank(const Bank& given, const std::string& path) {
  const Bank bank = with_all_samples(given);
  const BankData& data = data_of(bank);
  Table table(data);
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
