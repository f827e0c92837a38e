#include "tidewater/open_bank.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <memory>
#include <utility>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"
#include "bank/bank_samples.hpp"
#include "bank/bank_table.hpp"
#include "bank/read_designs.hpp"
#include "base/fail.hpp"
#include "dsp/rate_converter.hpp"
#include "dsp/resample.hpp"
#include "media/bytes.hpp"

namespace tidewater {
namespace {

namespace file = bank_file;

/// Makes of a table's records what a manager plays. Whatever is wrong ends it: the table has the problem.
class RecordReader : RecordChecks {
 public:
  RecordReader(BankTable& table, std::span<const std::byte> in_place) : RecordChecks(table, {}), in_place_(in_place) {}

  Read<Bank> read() {
    if (parts()) return {bank_of(std::move(data_)), {}};
    return {std::nullopt, table_.problem()};
  }

 private:
  bool parts() {
    return section(file::Kind::texts, texts_) && about() && bases() && clips() && designs() && names_differ(data_->bases, "bases");
  }

  bool about() {
    std::span<const file::About> about;
    if (!section(file::Kind::about, about)) return false;
    if (about.size() != 1) return damaged("it does not say what it is");
    data_->content = {about[0].content};
    data_->rate = {about[0].rate};
    data_->priority = about[0].priority;
    if (about[0].reach < reach)
      return fail(fmt::format("the bank was packed for an older mixer, with {} zeros around its clips for {}; pack it again",
                              about[0].reach, reach));
    reach_ = about[0].reach;
    return index(reach_, 4096, "reach") && text(about[0].name, data_->name) && text(about[0].target, data_->target) &&
           text(about[0].language, data_->language) && number(about[0].rate, 8000, 192000, "rate");
  }

  bool bases() {
    std::span<const file::Base> bases;
    if (!section(file::Kind::bases, bases)) return false;
    for (const file::Base& from : bases) {
      BankBase& to = data_->bases.emplace_back();
      to.content = {from.content};
      to.replaces = from.replaces != 0;
      if (!text(from.name, to.name)) return false;
    }
    return true;
  }

  bool clips() {
    std::span<const file::Clip> clips;
    if (!section(file::Kind::clips, clips)) return false;
    data_->clips.reserve(clips.size());
    std::uint64_t behind = table_.its().payload_at, streams_behind = table_.its().streams_at;
    for (const file::Clip& from : clips) {
      BankClip& to = data_->clips.emplace_back();
      if (!text(from.name, to.name)) return false;
      const bool shorts = from.samples == file::Samples::sixteen_bits;
      const std::uint64_t width = shorts ? sizeof(std::int16_t) : sizeof(float);
      const bool sane = (shorts || from.samples == file::Samples::floats) && (from.channels == 1 || from.channels == 2) &&
                        from.frames > 0 && from.frames < most_frames && from.loop_from >= 0 &&
                        from.loop_from < (from.stream_at != 0 ? from.stream_frames : from.frames);
      if (!sane) return damaged(fmt::format("its clip '{}' makes no sense", to.name));
      to.channels = static_cast<int>(from.channels);
      to.frames = from.frames;
      to.loop_from = from.loop_from;
      to.fold = static_cast<float>(from.fold);
      to.level = {from.level};
      to.preload = from.on_use == 0;
      if (!number(from.fold, 0, 4, "fold") || !gain(from.level, "level")) return false;
      if (from.base != 0) {
        to.base = from.base;
        to.in_base = from.in_base;
        if (!index(from.base - 1, data_->bases.size(), "base of a clip")) return false;
        continue;
      }
      const bool streams = from.stream_at != 0;
      if (streams && (shorts || from.head < 0 || from.head > from.frames))
        return damaged(fmt::format("its clip '{}' cannot stream so", to.name));
      const std::uint64_t stride = static_cast<std::uint64_t>(streams ? from.head : from.frames) + 2 * reach_;
      const bool fits = from.payload_size == from.channels * stride * width && from.payload_at % file::alignment == 0 &&
                        from.payload_at >= behind && from.payload_at <= table_.its().streams_at &&
                        from.payload_size <= table_.its().streams_at - from.payload_at;
      if (!fits) return damaged(fmt::format("the samples of its clip '{}' lie outside it, or over others", to.name));
      behind = from.payload_at + from.payload_size;
      to.place.at = from.payload_at;
      to.place.size = from.payload_size & ~std::uint64_t{0} >> 1;
      to.place.shorts = shorts ? 1 : 0;
      if (streams && !stream(from, streams_behind, to)) return false;
    }
    data_->samples = std::make_shared<BankSamples>(table_.called(), table_.samples(), in_place_, reach_, clips.size());
    return true;
  }

  /// A file in the bank that a clip streams from.
  bool stream(const file::Clip& from, std::uint64_t& behind, BankClip& to) {
    const bool fits = from.stream_at % file::alignment == 0 && from.stream_at >= behind && from.stream_at <= table_.its().file_size &&
                      from.stream_size > 0 && from.stream_size <= table_.its().file_size - from.stream_at;
    if (!fits) return damaged(fmt::format("the file of its clip '{}' lies outside it, or over others", to.name));
    behind = from.stream_at + from.stream_size;
    if (!number(from.stream_rate, 1000, 768'000, "rate of a file") || from.stream_frames <= 0 || from.stream_frames >= most_frames ||
        from.frames != RateConverter::length(from.stream_frames, {from.stream_rate}, data_->rate))
      return damaged(fmt::format("its clip '{}' has not the length of its file", to.name));
    StreamedFile file{fmt::format("{}: {}", table_.called(), to.name),
                      to.channels,
                      {from.stream_rate},
                      from.stream_frames,
                      from.loop_from,
                      data_->rate,
                      from.frames,
                      from.head};
    file.open = [streams = table_.streams(), at = from.stream_at, size = from.stream_size] {
      return std::make_unique<BytesInBank>(streams, at, size);
    };
    to.loop_from = RateConverter::length(from.loop_from, {from.stream_rate}, data_->rate);
    to.streamed = std::make_shared<const StreamedFile>(std::move(file));
    return true;
  }

  bool designs() { return DesignReader(table_, texts_, data_->clips.size()).read(*data_); }

  static constexpr std::int64_t most_frames = std::int64_t{1} << 40;

  std::span<const std::byte> in_place_;
  std::size_t reach_ = 0;
  std::shared_ptr<BankData> data_ = std::make_shared<BankData>();
};

Read<Bank> read_from(std::string_view called, const std::function<std::unique_ptr<Bytes>()>& whole, std::span<const std::byte> in_place) {
  Read<Bank> bank;
  const std::string thrown = problem_of([&] {
    BankTable table(called, whole);
    bank = table.read() ? RecordReader(table, in_place).read() : Read<Bank>{std::nullopt, table.problem()};
    return std::string();
  });
  if (!thrown.empty()) bank = {std::nullopt, fmt::format("{}: {}", called, thrown)};
  return bank;
}

}  // namespace

Read<Bank> read_bank(const BankSource& source, std::string_view called) {
  return read_from(called, [source] { return bytes_of(source); }, {});
}

Read<Bank> read_bank(std::span<const std::byte> memory, std::string_view called) {
  const BankSource source{memory.size(), [memory](std::uint64_t at, std::span<std::byte> to) {
                            std::memcpy(to.data(), memory.data() + at, to.size());
                            return true;
                          }};
  const bool suits = reinterpret_cast<std::uintptr_t>(memory.data()) % file::alignment == 0;
  return read_from(
      called, [source] { return bytes_of(source); }, suits ? memory : std::span<const std::byte>());
}

Read<Bank> read_bank(const std::string& path) {
  // Kept open: a game may go to another folder while it plays, or a new version may take the file's name.
  const Read<std::function<std::unique_ptr<Bytes>()>> file = read_file_for_many(path);
  if (!file.value) return {std::nullopt, fmt::format("{}: {}", path, file.problem)};
  return read_from(path, *file.value, {});
}

Bank open_bank(const std::string& path) {
  Read<Bank> read = read_bank(path);
  if (!read.value) fail(read.problem);
  return *std::move(read.value);
}

}  // namespace tidewater
