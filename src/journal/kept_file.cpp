#include "journal/kept_file.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

// CBOR (RFC 8949), of which integers, arrays and one text are used, one item after the other (RFC 8742).

constexpr std::string_view name = "tidewater world";
constexpr std::int64_t version = 2;  // 1 had no sums
constexpr int steps_a_sum = 16;
constexpr std::uint64_t most_slots = std::uint64_t{1} << 24;
constexpr unsigned unsigned_type = 0, negative_type = 1, text_type = 3, array_type = 4;

/// What of an emitter a record has, in the lowest bits of its first number.
constexpr std::uint64_t gone = 1, generation = 2, velocity = 4, facing = 8;
constexpr int bits = 4;

void add_head(std::string& to, unsigned type, std::uint64_t value) {
  const auto byte = [&](std::uint64_t its) { to += static_cast<char>(static_cast<unsigned char>(its)); };
  const int size = value < 24 ? 0 : value < 0x100 ? 1 : value < 0x10000 ? 2 : value < 0x100000000 ? 4 : 8;
  constexpr std::uint64_t one_byte = 24;
  byte(type << 5U | (size == 0 ? value : one_byte + (size == 1 ? 0U : size == 2 ? 1U : size == 4 ? 2U : 3U)));
  for (int i = size; i-- > 0;) byte(value >> (8 * i));
}

void add(std::string& to, std::int64_t value) {
  if (value >= 0)
    add_head(to, unsigned_type, static_cast<std::uint64_t>(value));
  else
    add_head(to, negative_type, static_cast<std::uint64_t>(-1 - value));
}

class CborReader {
 public:
  explicit CborReader(std::string_view bytes) : bytes_(bytes) {}

  std::size_t left() const { return bytes_.size(); }
  /// Whether what was asked for last was not there because the bytes are at their end.
  bool ran_out() const { return ran_out_; }
  bool at_number() const { return !bytes_.empty() && static_cast<unsigned char>(bytes_[0]) >> 5U == unsigned_type; }

  bool at_end() const { return bytes_.empty(); }
  bool at_text() const { return !bytes_.empty() && static_cast<unsigned char>(bytes_[0]) >> 5U == text_type; }
  /// Nothing where it breaks off, or is of another type.
  std::optional<std::uint64_t> head(unsigned type) {
    ran_out_ = bytes_.empty();
    if (ran_out_) return std::nullopt;
    const auto first = static_cast<unsigned char>(bytes_[0]);
    if (first >> 5U != type) return std::nullopt;
    const unsigned low = first & 31U;
    const std::size_t size = low < 24 ? 0 : low <= 27 ? std::size_t{1} << (low - 24) : 99;
    ran_out_ = size <= 8 && bytes_.size() <= size;
    if (bytes_.size() <= size) return std::nullopt;
    std::uint64_t value = size == 0 ? low : 0;
    for (std::size_t i = 0; i < size; ++i) value = value << 8U | static_cast<unsigned char>(bytes_[1 + i]);
    bytes_.remove_prefix(1 + size);
    return value;
  }
  std::optional<std::int64_t> number() {
    constexpr std::uint64_t most = std::uint64_t{1} << 62;
    const bool below_zero = !bytes_.empty() && static_cast<unsigned char>(bytes_[0]) >> 5U == negative_type;
    const auto value = head(below_zero ? negative_type : unsigned_type);
    if (!value || *value > most) return std::nullopt;
    return below_zero ? -1 - static_cast<std::int64_t>(*value) : static_cast<std::int64_t>(*value);
  }
  std::optional<std::string_view> text() {
    const auto size = head(text_type);
    ran_out_ = ran_out_ || (size && *size > bytes_.size());
    if (!size || *size > bytes_.size()) return std::nullopt;
    const std::string_view its = bytes_.substr(0, static_cast<std::size_t>(*size));
    bytes_.remove_prefix(its.size());
    return its;
  }

 private:
  std::string_view bytes_;
  bool ran_out_ = false;
};

Whereabouts whereabouts_of(const noted::KeptEmitter& its) {
  Whereabouts at;
  set_place(at, its.place);
  set_velocity(at, its.velocity);
  set_facing(at, its.facing);
  return at;
}

/// Numbers of one step, read with all that is wrong in them found.
class StepReader {
 public:
  explicit StepReader(CborReader& from, std::uint64_t left) : from_(from), left_(left) {}

  bool any_left() const { return left_ > 0; }
  bool whole() const { return whole_; }
  std::int64_t next() {
    const auto value = left_ > 0 ? from_.number() : std::nullopt;
    if (!value) whole_ = false;
    left_ -= left_ > 0 ? 1 : 0;
    return value.value_or(0);
  }
  template <class Int>
  void add_next(Int& to, std::int64_t most) {
    const std::int64_t sum = static_cast<std::int64_t>(to) + std::clamp<std::int64_t>(next(), -2 * most, 2 * most);
    to = static_cast<Int>(std::clamp(sum, -most, most));
  }

 private:
  CborReader& from_;
  std::uint64_t left_;
  bool whole_ = true;
};

}  // namespace

std::string KeptWriter::head() {
  std::string bytes;
  add_head(bytes, array_type, 2);
  add_head(bytes, text_type, name.size());
  bytes += name;
  add(bytes, version);
  return bytes;
}

namespace {

/// Bits below the point that a value needs, at most so many; below zero where it needs none above it either.
constexpr int finest = 52, coarsest = -30;
int bits_of(double value) {
  int its = coarsest;
  while (its < finest && std::ldexp(value, its) != std::nearbyint(std::ldexp(value, its))) ++its;
  return its;
}

}  // namespace

std::string KeptWriter::step(const noted::Kept& kept) {
  std::string bytes = kept.emitters.empty() ? "" : places(kept);  // first: each goes by what was written before it
  bytes += gauges(kept);
  sum_.add(bytes);
  if (++steps_ % steps_a_sum == 0) {
    std::string sum;
    add(sum, static_cast<std::int64_t>(sum_.value()));
    sum_.add(sum);
    bytes += sum;
  }
  return bytes;
}

std::string KeptWriter::gauges(const noted::Kept& kept) {
  if (kept.gauges.empty()) return {};
  std::string bytes;
  // Each gauge with its emitters in order; of one that is there twice the later counts.
  std::map<std::size_t, std::vector<const noted::KeptGauge*>> of;
  for (const noted::KeptGauge& its : kept.gauges) {
    const auto [number, is_new] = gauge_numbers_.try_emplace(its.gauge, gauges_.size());
    if (is_new) gauges_.emplace_back();
    of[number->second].push_back(&its);
    Gauge& gauge = gauges_[number->second];
    if (const int needed = bits_of(its.value); gauge.bits < needed || is_new) {
      gauge.bits = needed;
      gauge.known.clear();
      add_head(bytes, array_type, 3);
      add_head(bytes, text_type, its.gauge.size());
      bytes += its.gauge;
      add(bytes, static_cast<std::int64_t>(number->second));
      add(bytes, needed);
    }
  }
  std::string numbers;
  std::uint64_t count = 0;
  const auto put = [&](std::int64_t value) {
    add(numbers, value);
    ++count;
  };
  put(-1 - static_cast<std::int64_t>(kept.update - update_));
  update_ = kept.update;
  for (auto& [number, said] : of) {
    const auto slot = [](const noted::KeptGauge* its) { return static_cast<std::uint32_t>(its->emitter.number) - 1; };
    std::stable_sort(said.begin(), said.end(), [&](auto* a, auto* b) { return slot(a) < slot(b); });
    put(static_cast<std::int64_t>(number));
    put(static_cast<std::int64_t>(said.size()));
    std::uint32_t before = 0;
    for (const noted::KeptGauge* its : said) {
      const auto its_generation = static_cast<std::uint32_t>(its->emitter.number >> 32U);
      Known& emitter = known_[slot(its)];
      const bool other = its_generation != emitter.generation;
      put(static_cast<std::int64_t>(static_cast<std::uint64_t>(slot(its) - before) << 1U | (other ? 1U : 0U)));
      if (other) put(its_generation);
      emitter.generation = its_generation;
      before = slot(its);
      constexpr double most = 0x1p61;
      const auto value = static_cast<std::int64_t>(std::clamp(std::ldexp(its->value, gauges_[number].bits), -most, most));
      std::int64_t& known = gauges_[number].known[slot(its)];
      put(value - known);
      known = value;
    }
  }
  add_head(bytes, array_type, count);
  return bytes + numbers;
}

std::string KeptWriter::places(const noted::Kept& kept) {
  // Slots in order; of one that is there twice the later counts.
  std::vector<const noted::KeptEmitter*> in_order;
  for (const noted::KeptEmitter& its : kept.emitters) in_order.push_back(&its);
  const auto slot = [](const noted::KeptEmitter* its) { return static_cast<std::uint32_t>(its->emitter.number) - 1; };
  std::stable_sort(in_order.begin(), in_order.end(), [&](auto* a, auto* b) { return slot(a) < slot(b); });
  std::string numbers;
  std::uint64_t count = 0;
  const auto put = [&](std::int64_t value) {
    add(numbers, value);
    ++count;
  };
  put(static_cast<std::int64_t>(kept.update - update_));
  update_ = kept.update;
  std::uint32_t before = 0;
  for (const noted::KeptEmitter* its : in_order) {
    const auto its_generation = static_cast<std::uint32_t>(its->emitter.number >> 32U);
    Known& known = known_[slot(its)];
    const Whereabouts at = its->gone ? known.at : whereabouts_of(*its);
    const bool moves = at.vx != known.at.vx || at.vy != known.at.vy || at.vz != known.at.vz;
    const bool turns = at.facing_x != known.at.facing_x || at.facing_y != known.at.facing_y || at.facing_z != known.at.facing_z;
    const std::uint64_t has =
        (its->gone ? gone : 0) | (its_generation != known.generation ? generation : 0) | (moves ? velocity : 0) | (turns ? facing : 0);
    put(static_cast<std::int64_t>(static_cast<std::uint64_t>(slot(its) - before) << bits | has));
    before = slot(its);
    if ((has & generation) != 0) put(its_generation);
    if (!its->gone)
      for (const std::int64_t change : {at.x - known.at.x, at.y - known.at.y, at.z - known.at.z}) put(change);
    if (moves)
      for (const std::int64_t change : {at.vx - known.at.vx, at.vy - known.at.vy, at.vz - known.at.vz}) put(change);
    if (turns)
      for (const std::int64_t change : {at.facing_x - known.at.facing_x, at.facing_y - known.at.facing_y, at.facing_z - known.at.facing_z})
        put(change);
    known = {its_generation, at};
  }
  std::string bytes;
  add_head(bytes, array_type, count);
  return bytes + numbers;
}

namespace {

struct ReadGauge {
  std::string name;
  int bits = 0;
  std::unordered_map<std::uint32_t, std::int64_t> known;
};

/// Which gauge has which number from here on. Nothing where it breaks off.
bool read_name(CborReader& from, std::vector<ReadGauge>& gauges, const std::string& path) {
  constexpr std::int64_t most_gauges = 4096;
  const auto text = from.text();
  const auto number = text ? from.number() : std::nullopt, bits_below = number ? from.number() : std::nullopt;
  if (!bits_below) return false;
  if (*number < 0 || *number >= most_gauges || *bits_below < coarsest || *bits_below > finest)
    throw Error(fmt::format("{}: is damaged: it speaks of a gauge {}", path, *number));
  if (gauges.size() <= static_cast<std::size_t>(*number)) gauges.resize(static_cast<std::size_t>(*number) + 1);
  gauges[static_cast<std::size_t>(*number)] = {std::string(*text), static_cast<int>(*bits_below), {}};
  return true;
}

}  // namespace

std::vector<noted::Kept> read_kept(std::string_view bytes, const std::string& path) {
  CborReader from(bytes);
  const auto two = from.head(array_type);
  const auto called = two && *two == 2 ? from.text() : std::nullopt;
  if (!called || *called != name) throw Error(fmt::format("{}: is not what was kept of emitters beside a journal", path));
  const auto its_version = from.number();
  if (its_version != 1 && its_version != version)
    throw Error(fmt::format("{}: is of a newer version of this format; get a newer tidewater", path));
  struct Known {
    std::uint32_t generation = 0;
    Whereabouts at;
  };
  std::unordered_map<std::uint32_t, Known> emitters;
  std::vector<ReadGauge> gauges;
  std::vector<noted::Kept> steps;
  /// Slots in order, each as far from the one before as is said.
  const auto slot_after = [&](std::uint64_t& slot, std::uint64_t by) {
    slot += by;
    if (slot >= most_slots) throw Error(fmt::format("{}: is damaged: it speaks of an emitter {}", path, slot));
    return static_cast<std::uint32_t>(slot);
  };
  const auto generation_in = [](StepReader& step) {
    return static_cast<std::uint32_t>(std::clamp<std::int64_t>(step.next(), 0, 0xffffffff));
  };
  const auto read_gauges = [&](StepReader& step, std::vector<noted::KeptGauge>& to) {
    while (step.any_left() && step.whole()) {
      const std::int64_t number = step.next();
      if (number < 0 || static_cast<std::size_t>(number) >= gauges.size())
        throw Error(fmt::format("{}: is damaged: it speaks of a gauge {}", path, number));
      ReadGauge& gauge = gauges[static_cast<std::size_t>(number)];
      std::uint64_t at = 0;
      for (std::int64_t left = step.next(); left > 0 && step.any_left() && step.whole(); --left) {
        const auto first = static_cast<std::uint64_t>(std::max<std::int64_t>(0, step.next()));
        const std::uint32_t slot = slot_after(at, first >> 1U);
        Known& known = emitters[slot];
        if ((first & 1U) != 0) known.generation = generation_in(step);
        constexpr std::int64_t most = std::int64_t{1} << 61;
        std::int64_t& value = gauge.known[slot];
        value = std::clamp(value + std::clamp(step.next(), -most, most), -most, most);
        to.push_back({{static_cast<std::uint64_t>(known.generation) << 32U | (std::uint64_t{slot} + 1)},
                      gauge.name,
                      std::ldexp(static_cast<double>(value), -gauge.bits)});
      }
    }
  };
  std::uint64_t update = 0;
  KeptSum sum;
  std::size_t summed = 0;
  bool broke_off = false;
  while (!from.at_end() && !broke_off) {
    broke_off = true;  // unless it gets to the end of this item
    if (from.at_number() && its_version != 1) {
      const std::size_t here = bytes.size() - from.left();
      sum.add(bytes.substr(summed, here - summed));
      summed = here;
      const auto then = from.number();
      if (!then) break;
      if (static_cast<std::uint64_t>(*then) != sum.value())
        throw Error(
            fmt::format("{}: is damaged before its byte {}: what it says of emitters there was changed since it was written", path, here));
      broke_off = false;
      continue;
    }
    const auto count = from.head(array_type);
    if (!count || *count == 0) break;
    if (from.at_text()) {
      if (*count != 3 || !read_name(from, gauges, path)) break;
      broke_off = false;
      continue;
    }
    StepReader step(from, *count);
    noted::Kept kept;
    const std::int64_t later = step.next();
    update += static_cast<std::uint64_t>(later < 0 ? -1 - later : later);
    kept.update = update;
    if (later < 0) {
      const bool same = !steps.empty() && steps.back().update == update;
      read_gauges(step, same ? steps.back().gauges : kept.gauges);
      if (!step.whole()) break;
      if (!same) steps.push_back(std::move(kept));
      broke_off = false;
      continue;
    }
    std::uint64_t slot = 0;
    while (step.any_left() && step.whole()) {
      const auto first = static_cast<std::uint64_t>(std::max<std::int64_t>(0, step.next()));
      Known& known = emitters[slot_after(slot, first >> bits)];
      if ((first & generation) != 0) known.generation = generation_in(step);
      constexpr auto most_place = static_cast<std::int64_t>(furthest_place * place_unit);
      constexpr auto most_velocity = static_cast<std::int64_t>(fastest_thing * velocity_unit);
      if ((first & gone) == 0)
        for (std::int32_t* its : {&known.at.x, &known.at.y, &known.at.z}) step.add_next(*its, most_place);
      if ((first & velocity) != 0)
        for (std::int32_t* its : {&known.at.vx, &known.at.vy, &known.at.vz}) step.add_next(*its, most_velocity);
      if ((first & facing) != 0)
        for (std::int16_t* its : {&known.at.facing_x, &known.at.facing_y, &known.at.facing_z})
          step.add_next(*its, static_cast<std::int64_t>(facing_unit));
      kept.emitters.push_back({{static_cast<std::uint64_t>(known.generation) << 32U | (slot + 1)},
                               (first & gone) != 0,
                               place_of(known.at),
                               velocity_of(known.at),
                               facing_of(known.at)});
    }
    if (!step.whole()) break;
    steps.push_back(std::move(kept));
    broke_off = false;
  }
  // After a crash the file ends inside an item. An item of the wrong type in the middle is damage.
  if (broke_off && its_version != 1 && !from.ran_out())
    throw Error(fmt::format("{}: is damaged at its byte {}: an item of another type is expected here", path, bytes.size() - from.left()));
  return steps;
}

}  // namespace tidewater
