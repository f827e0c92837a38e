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
#include "base/fail.hpp"
#include "dsp/rate_converter.hpp"
#include "dsp/resample.hpp"
#include "media/bytes.hpp"

namespace tidewater {
namespace {

namespace file = bank_file;

/// Makes of a table's records what a manager plays. Whatever is wrong ends it: the table has the problem.
class RecordReader {
 public:
  RecordReader(BankTable& table, std::span<const std::byte> in_place) : table_(table), in_place_(in_place) {}

  Read<Bank> read() {
    if (parts()) return {bank_of(std::move(data_)), {}};
    return {std::nullopt, table_.problem()};
  }

 private:
  bool fail(const std::string& what) { return table_.fail(what); }
  bool damaged(const std::string& what) { return table_.damaged(what); }
  template <class Record>
  bool section(file::Kind kind, std::span<const Record>& records) {
    return table_.section(kind, records);
  }

  // Of records, what others may lead to.

  /// Records that others lead to, each led to once and in order: so what is read is never more than what there is.
  template <class Record>
  struct Led {
    std::span<const Record> all;
    std::size_t next = 0;
  };
  template <class Record>
  bool take(const file::Part& part, Led<Record>& from, std::span<const Record>& to) {
    if (part.first != from.next || part.count > from.all.size() - from.next)
      return damaged("a record does not lead to the next of those it needs");
    to = from.all.subspan(from.next, part.count);
    from.next += part.count;
    return true;
  }
  bool text(const file::Text& its, std::string& to) {
    if (its.size > longest_text || its.at > texts_.size() || its.size > texts_.size() - its.at)
      return damaged("a text lies outside the texts");
    to.assign(texts_.data() + its.at, its.size);
    return true;
  }
  bool number(double value, double low, double high, const char* what) {
    return (value >= low && value <= high) || damaged(fmt::format("a {} is {}", what, value));
  }
  bool index(std::uint64_t value, std::uint64_t count, const char* what) {
    return value < count || damaged(fmt::format("a {} is number {} of {}", what, value, count));
  }
  template <class Unit>
  bool range(const file::Span& from, Range<Unit>& to, double low, double high, const char* what) {
    to = {Unit{from.low}, Unit{from.high}};
    if (!number(from.low, low, high, what) || !number(from.high, low, high, what)) return false;
    return from.low <= from.high || damaged(fmt::format("a range of {} is the wrong way round", what));
  }
  /// Silence counts.
  bool gain(double value) { return value == -HUGE_VAL || number(value, -most_decibels, most_decibels, "gain"); }
  bool gains(const file::Span& from, Range<Decibels>& to) {
    to = {{from.low}, {from.high}};
    return gain(from.low) && gain(from.high) && (from.low <= from.high || damaged("a range of gains is the wrong way round"));
  }
  template <class Enum>
  bool word(std::uint32_t value, std::size_t count, Enum& to, const char* what) {
    to = static_cast<Enum>(value);
    return index(value, count, what);
  }

  bool parts() {
    return section(file::Kind::texts, texts_) && section(file::Kind::values, values_.all) && section(file::Kind::uses, uses_.all) &&
           section(file::Kind::choices, choices_.all) && section(file::Kind::layers, layers_.all) &&
           section(file::Kind::responses, responses_.all) && section(file::Kind::falloffs, falloffs_.all) && about() && bases() &&
           groups() && clips() && sounds() && events();
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

  bool groups() {
    std::span<const file::Group> groups;
    if (!section(file::Kind::groups, groups)) return false;
    if (groups.empty()) return damaged("it has no groups");
    for (std::size_t g = 0; g < groups.size(); ++g) {
      const file::Group& from = groups[g];
      BankGroup& to = data_->groups.emplace_back();
      to.parent = from.parent;
      to.gain = {from.gain};
      to.muted = from.muted != 0;
      to.low_pass = {from.low_pass};
      to.high_pass = {from.high_pass};
      if (!text(from.name, to.name) || !index(from.parent, std::max<std::size_t>(g, 1), "parent of a group") || !gain(from.gain) ||
          !number(from.low_pass, 0, most_hertz, "low-pass") || !number(from.high_pass, 0, most_hertz, "high-pass"))
        return false;
    }
    return data_->groups[0].name == "master" || damaged("its first group is not the master");
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
                        from.frames > 0 && from.frames < most_frames && from.loop_from >= 0 && from.loop_from < from.frames;
      if (!sane) return damaged(fmt::format("its clip '{}' makes no sense", to.name));
      to.channels = static_cast<int>(from.channels);
      to.frames = from.frames;
      to.loop_from = from.loop_from;
      to.fold = static_cast<float>(from.fold);
      to.level = {from.level};
      to.preload = from.on_use == 0;
      if (!number(from.fold, 0, 4, "fold") || !gain(from.level)) return false;
      if (from.base != 0) {
        to.base = from.base;
        to.in_base = from.in_base;
        if (!index(from.base - 1, data_->bases.size(), "base of a clip")) return false;
        continue;
      }
      const bool streams = from.stream_at != 0;
      if (streams && (shorts || from.head < 0 || from.head > from.frames || from.loop_from != 0))
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
                      data_->rate,
                      from.frames,
                      from.head};
    file.open = [streams = table_.streams(), at = from.stream_at, size = from.stream_size] {
      return std::make_unique<BytesInBank>(streams, at, size);
    };
    to.streamed = std::make_shared<const StreamedFile>(std::move(file));
    return true;
  }

  bool names(const file::Part& part, std::vector<HashedText>& to) {
    std::span<const file::Value> values;
    if (!take(part, values_, values)) return false;
    for (const file::Value& value : values) {
      std::string its;
      if (!text(value.text, its)) return false;
      to.emplace_back(std::move(its));
    }
    return true;
  }

  bool choice(const file::Choice& from, BankChoice& to) {
    to.weighted = from.weighted != 0;
    to.heavy = from.heavy;
    to.again = from.again;
    std::span<const file::Use> uses;
    if (!names(from.values, to.values) || !take(from.uses, uses_, uses) || !number(from.again, 0, 1, "probability")) return false;
    if (from.heavy < -1 || from.heavy >= static_cast<std::int64_t>(from.uses.count))
      return damaged("a choice prefers a clip that it has not");
    to.clips.reserve(uses.size());
    for (const file::Use& use : uses) {
      to.clips.push_back({use.clip, use.weight, {use.trim}, use.share});
      if (!index(use.clip, data_->clips.size(), "clip of a sound") || !number(use.weight, 0, 1e9, "weight") ||
          !number(static_cast<double>(use.share), 0, 1e9, "share") || !gain(use.trim))
        return false;
    }
    return true;
  }

  bool layer(const file::Layer& from, BankLayer& to) {
    to.loop = from.loop != 0;
    to.start_anywhere = from.start_anywhere != 0;
    to.chance = from.chance;
    std::span<const file::Choice> choices;
    if (!text(from.name, to.name) || !names(from.by, to.by) || !take(from.choices, choices_, choices) ||
        !word(from.pick, pick_words.size(), to.pick, "way to pick") || !number(from.chance, 0, 1, "chance") || !gains(from.gain, to.gain) ||
        !range(from.pitch, to.pitch, -most_semitones, most_semitones, "pitch") || !range(from.delay, to.delay, 0, most_seconds, "delay") ||
        !range(from.start_at, to.start_at, 0, most_seconds, "start"))
      return false;
    to.choices.reserve(choices.size());
    for (const file::Choice& its : choices)
      if (!choice(its, to.choices.emplace_back())) return false;
    for (const BankChoice& its : to.choices)
      if (its.values.size() > to.by.size()) return damaged("a choice has more values than its layer has traits");
    return true;
  }

  bool world(const file::Sound& from, WorldDesign& to) {
    if (from.in_world == 0) return true;
    to.place = Where::world;
    to.full_within = {from.full_within};
    to.silent_from = {from.silent_from};
    to.radius = {from.radius};
    to.rolloff = from.rolloff;
    to.doppler = from.doppler;
    to.air = from.air;
    to.cone = {{from.cone_inner}, {from.cone_outer}, {from.cone_outside}};
    std::span<const file::FalloffPoint> points;
    if (!word(from.falloff, falloff_words.size() + 1, to.falloff, "falloff") ||
        !word(from.when_gone, when_gone_words.size(), to.when_gone, "when-gone") || !take(from.points, falloffs_, points))
      return false;
    for (const double metres : {from.full_within, from.silent_from, from.radius})
      if (!number(metres, 0, most_metres, "distance")) return false;
    for (const double amount : {from.rolloff, from.doppler, from.air})
      if (!number(amount, 0, 10, "amount")) return false;
    for (const double angle : {from.cone_inner, from.cone_outer})
      if (!number(angle, 0, 360, "angle")) return false;
    if (!gain(from.cone_outside) || from.cone_outside > 0 || from.cone_outer < from.cone_inner) return damaged("a cone makes no sense");
    for (const file::FalloffPoint& point : points) {
      if (!number(point.metres, to.points.empty() ? 0 : to.points.back().at.value, most_metres, "point of a falloff") || !gain(point.level))
        return false;
      to.points.push_back({{point.metres}, {point.level}});
    }
    return points.size() <= most_points || damaged("a falloff has too many points");
  }

  bool sound(const file::Sound& from, BankSound& to) {
    to.content = {from.content};
    to.group = from.group;
    to.high_pass = {from.high_pass};
    to.towards_middle = from.towards_middle != 0;
    for (std::size_t d = 0; d < draw_count; ++d) to.together[d] = (from.together >> d & 1) != 0;
    to.each_emitter = from.each_emitter != 0;
    to.spacing = {from.spacing};
    to.limit = from.limit;
    to.limit_each_emitter = from.limit_each_emitter != 0;
    to.rank = static_cast<int>(std::min(from.rank, 10U));
    if (from.quality > 0) to.quality = from.quality == 1 ? Quality::standard : Quality::fine;
    to.fade_in = {from.fade_in};
    to.fade_out = {from.fade_out};
    std::span<const file::Layer> layers;
    if (!text(from.name, to.name) || !index(from.group, data_->groups.size(), "group") || !index(from.rank, 10, "rank") ||
        !index(from.quality, 3, "quality") || !word(from.retrigger, retrigger_words.size(), to.retrigger, "retrigger") ||
        !word(from.when_full, when_full_words.size(), to.when_full, "when-full") || !gains(from.gain, to.gain) ||
        !range(from.pitch, to.pitch, -most_semitones, most_semitones, "pitch") || !range(from.pan, to.pan, -1, 1, "pan") ||
        !range(from.delay, to.delay, 0, most_seconds, "delay") || !range(from.low_pass, to.low_pass, 0, most_hertz, "low-pass") ||
        !number(from.high_pass, 0, most_hertz, "high-pass") || !number(from.spacing, 0, most_seconds, "spacing") ||
        !number(from.fade_in, 0, most_seconds, "fade") || !number(from.fade_out, 0, most_seconds, "fade") ||
        !take(from.layers, layers_, layers) || !world(from, to.world))
      return false;
    if (layers.empty() || layers.size() > most_layers) return damaged(fmt::format("its sound '{}' has {} layers", to.name, layers.size()));
    to.layers.reserve(layers.size());
    for (const file::Layer& its : layers)
      if (!layer(its, to.layers.emplace_back())) return false;
    return true;
  }

  bool sounds() {
    std::span<const file::Sound> sounds;
    if (!section(file::Kind::sounds, sounds)) return false;
    data_->sounds.reserve(sounds.size());
    for (const file::Sound& from : sounds)
      if (!sound(from, data_->sounds.emplace_back())) return false;
    return true;
  }

  bool events() {
    std::span<const file::Event> events;
    if (!section(file::Kind::events, events)) return false;
    data_->events.reserve(events.size());
    for (const file::Event& from : events) {
      BankEvent& to = data_->events.emplace_back();
      std::span<const file::Response> responses;
      if (!text(from.name, to.name) || !take(from.responses, responses_, responses)) return false;
      to.responses.reserve(responses.size());
      for (const file::Response& its : responses) {
        BankResponse& response = to.responses.emplace_back();
        response.sound = its.sound;
        response.delay = {its.delay};
        response.fade = {its.fade};
        if (!word(its.kind, 2, response.kind, "kind of a response") || !index(its.sound, data_->sounds.size(), "sound of an event") ||
            !number(its.delay, 0, most_seconds, "delay") || !number(its.fade, 0, most_seconds, "fade"))
          return false;
      }
    }
    return true;
  }

  // Far beyond what a book can say, and harmless.
  static constexpr double most_decibels = 300, most_semitones = 120, most_seconds = 1e6, most_hertz = 1e6, most_metres = 1e6;
  static constexpr std::size_t most_points = 64;
  static constexpr std::uint32_t longest_text = 4096;
  static constexpr std::int64_t most_frames = std::int64_t{1} << 40;

  BankTable& table_;
  std::span<const std::byte> in_place_;
  std::size_t reach_ = 0;
  std::span<const char> texts_;
  Led<file::Value> values_;
  Led<file::Use> uses_;
  Led<file::Choice> choices_;
  Led<file::Layer> layers_;
  Led<file::Response> responses_;
  Led<file::FalloffPoint> falloffs_;
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
