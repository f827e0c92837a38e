#include "world/earshot.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>
#include <utility>

#include "world/pass.hpp"

namespace tidewater {
namespace {

constexpr std::size_t most_kinds = 65536;
constexpr std::size_t in_a_pass = 2048;  // emitters, with the lock that places wait for: some microseconds
constexpr std::size_t widest = 64;       // lanes of a vector: what is found may be written so much further
constexpr int turned_enough = 32;        // of `facing_unit`: a 64th of the range

bool has_turned(const Whereabouts& a, const Whereabouts& b) {
  return std::abs(a.facing_x - b.facing_x) > turned_enough || std::abs(a.facing_y - b.facing_y) > turned_enough ||
         std::abs(a.facing_z - b.facing_z) > turned_enough;
}

}  // namespace

void Earshot::Rows::grow(std::size_t count) {
  if (count <= size()) return;
  x.resize(count), y.resize(count), z.resize(count), at.resize(count), kind.resize(count), first.resize(count, none), known.resize(count),
      heard.resize(count);
}

Whereabouts Earshot::Rows::where(std::uint32_t row) const {
  Whereabouts its = at[row & ~spot_bit];
  its.x = x[row & ~spot_bit], its.y = y[row & ~spot_bit], its.z = z[row & ~spot_bit];
  return its;
}

void Earshot::Rows::set(std::uint32_t row, const Whereabouts& its) {
  at[row & ~spot_bit] = its;
  known[row & ~spot_bit] = 1;
  x[row & ~spot_bit] = its.x, y[row & ~spot_bit] = its.y, z[row & ~spot_bit] = its.z;
}

Earshot::Earshot(std::size_t starts, Layout layout) : layout_(layout) {
  kinds_.reserve(most_kinds);
  kinds_.resize(first_kind);
  ears_.reserve(most_listeners);
  sources_.reserve(starts);
  later_.reserve(1024);
}

std::uint32_t Earshot::add_kind(const HeardKind& made) {
  if (!searching_ && !free_kinds_.empty()) {
    const std::uint32_t kind = free_kinds_.back();
    free_kinds_.pop_back();
    kinds_[kind] = made;
    return kind;
  }
  if (kinds_.size() == most_kinds) return 0;
  kinds_.push_back(made);
  return static_cast<std::uint32_t>(kinds_.size() - 1);
}

void Earshot::put_kind(std::uint32_t number, const HeardKind& kind) {
  while (kinds_.size() <= number && kinds_.size() < most_kinds)
    free_kinds_.push_back(static_cast<std::uint32_t>(kinds_.size())), kinds_.emplace_back();
  if (number >= kinds_.size()) return;
  std::erase(free_kinds_, number);
  kinds_[number] = kind;
}

void Earshot::change_kind(std::uint32_t kind, const HeardKind& to) {
  const HeardKind before = std::exchange(kinds_[kind], to);
  kinds_[kind].loudest = before.loudest;
  kinds_[kind].count = before.count;
}

void Earshot::remove_kind(std::uint32_t kind) {
  kinds_[kind] = {};
  free_kinds_.push_back(kind);
}

void Earshot::link(std::uint32_t start, std::uint32_t row) {
  Source& source = sources_[start];
  std::uint32_t& first = rows_of(row).first[row & ~spot_bit];
  source.row = row;
  source.previous = none;
  source.next = first;
  if (first != none) sources_[first].previous = start;
  first = start;
  know_kind(row);
}

void Earshot::unlink(std::uint32_t start) {
  Source& source = sources_[start];
  const std::uint32_t row = source.row;
  if (source.next != none) sources_[source.next].previous = source.previous;
  if (source.previous != none)
    sources_[source.previous].next = source.next;
  else
    rows_of(row).first[row & ~spot_bit] = source.next;
  source.row = source.next = source.previous = none;
  know_kind(row);
  if ((row & spot_bit) != 0) free_spots_.push_back(row);
}

void Earshot::know_kind(std::uint32_t row) {
  Rows& rows = rows_of(row);
  std::uint32_t kind = 0;
  for (std::uint32_t at = rows.first[row & ~spot_bit]; at != none; at = sources_[at].next)
    kind = kind == 0 || kind == sources_[at].kind ? sources_[at].kind : several;
  rows.kind[row & ~spot_bit] = kind;
}

std::uint32_t Earshot::take_spot(const Whereabouts& at) {
  if (free_spots_.empty()) {
    spots_.grow(spots_.size() + 1);
    free_spots_.push_back(static_cast<std::uint32_t>(spots_.size() - 1) | spot_bit);
  }
  const std::uint32_t row = free_spots_.back();
  free_spots_.pop_back();
  spots_.set(row, at);
  return row;
}

void Earshot::add(StartRef start, std::uint32_t kind, Level own, bool gauged, ScopeNumber scope, Emitter emitter, const Whereabouts& at) {
  if (searching_) return later_.push_back({Later::What::add, start, kind, own, gauged, scope, emitter, at});
  const std::uint32_t slot = start.slot;
  if (slot >= sources_.size()) sources_.resize(slot + std::size_t{1});
  if (sources_[slot].row != none) remove({slot, sources_[slot].id});  // that start has ended, and nobody has said so yet
  Source& source = sources_[slot];
  source.kind = kind;
  source.own = own;
  source.id = start.id;
  source.gauged = gauged;
  source.scope = scope;
  source.voiced = false;
  HeardKind& its = kinds_[kind];
  its.loudest = its.count == 0 ? own : std::max(its.loudest, own);
  ++its.count;
  if (emitter) {
    emitters_.grow(slot_in(emitter) + std::size_t{1});
    emitters_.set(slot_in(emitter), at);
    link(slot, slot_in(emitter));
  } else {
    link(slot, take_spot(at));
  }
}

void Earshot::change(StartRef start, Level own) {
  if (searching_) return later_.push_back({Later::What::change, start, 0, own, false, 0, {}, {}});
  if (!has(start) || sources_[start.slot].row == none) return;
  Source& source = sources_[start.slot];
  source.own = own;
  HeardKind& its = kinds_[source.kind];
  its.loudest = std::max(its.loudest, own);
}

void Earshot::remove(StartRef start) {
  if (searching_) return later_.push_back({Later::What::remove, start, 0, {}, false, 0, {}, {}});
  if (!has(start) || sources_[start.slot].row == none) return;
  unlink(start.slot);
  Source& source = sources_[start.slot];
  --kinds_[source.kind].count;
  source.id = {};
}

void Earshot::detach(std::uint32_t start) {
  const std::uint32_t row = sources_[start].row;
  if ((row & spot_bit) != 0) return;
  const Whereabouts at = emitters_.where(row);
  unlink(start);
  link(start, take_spot(at));
}

void Earshot::keep(Emitter emitter, const Whereabouts& at) {
  if (searching_) return later_.push_back({Later::What::keep, {}, 0, {}, false, 0, emitter, at});
  emitters_.grow(slot_in(emitter) + std::size_t{1});
  emitters_.set(slot_in(emitter), at);
}

HeardFrom Earshot::heard_by(std::uint32_t start, std::span<const Ears> ears) const {
  const Source& source = sources_[start];
  return heard_from(*kinds_[source.kind].hearing, rows_of(source.row).where(source.row), ears, layout_);
}

bool Earshot::forget(Emitter emitter) {
  const std::uint32_t slot = slot_in(emitter);
  return slot < emitters_.size() && std::exchange(emitters_.known[slot], std::uint8_t{0}) != 0;
}

void Earshot::open(std::span<const Ears> listeners, std::size_t emitters, ScopeMask held, const GroupLimits& limits) {
  held_ = held;
  limits_ = limits;
  ears_.assign(listeners.begin(), listeners.end());
  emitters_.grow(emitters);
  open_kinds_ = kinds_.size();
  kept_.clear();
  searching_ = true;
}

void Earshot::know(Emitter emitter, const Whereabouts& at) {
  emitters_.grow(slot_in(emitter) + std::size_t{1});
  emitters_.set(slot_in(emitter), at);
}

void Earshot::hear(std::span<const StartRef> voiced, const Emitters& from) {
  for (const std::uint32_t start : voiced_) sources_[start].voiced = false;
  voiced_.clear();
  heard_.clear();
  for (const StartRef start : voiced) {
    std::optional<HeardFrom>& heard = heard_.emplace_back();
    if (!has(start) || sources_[start.slot].row == none) continue;
    Source& source = sources_[start.slot];
    source.voiced = true;
    voiced_.push_back(start.slot);
    // Of two sounds of one emitter the first looks where it is.
    if ((source.row & spot_bit) == 0 && std::exchange(emitters_.heard[source.row], std::uint8_t{1}) == 0) {
      heard_rows_.push_back(source.row);
      const std::lock_guard lock(from.mutex());
      const Whereabouts newest = from.newest(source.row);
      if (newest != emitters_.where(source.row)) {
        emitters_.set(source.row, newest);
        kept_.push_back({emitter_in(source.row, from.generation(source.row)), newest});
      }
    }
    heard = heard_from(*kinds_[source.kind].hearing, rows_of(source.row).where(source.row), ears_, layout_);
  }
}

/// How far away one of a kind may be, the loudest there is, and still be over what is needed.
void Earshot::make_cuts() {
  cut_.assign(open_kinds_, 0);
  for (std::uint32_t kind = first_kind; kind < open_kinds_; ++kind) {
    const HeardKind& its = kinds_[kind];
    if (its.hearing == nullptr || its.count == 0) continue;
    const Level there = heard_level(its.loudest + its.most_bent, its.group);
    if (!there.audible() || there <= its.needed) continue;
    constexpr int hundredths = 100;
    const int over = there.hundredths() - std::max(its.needed.audible() ? its.needed.hundredths() : Level::faintest, Level::faintest);
    const double metres = its.hearing->curve.reach(over / hundredths + 1);
    // Beyond the unit in which places are kept, so that no rounding leaves anybody out.
    const double units = (metres + 0.01) * place_unit;
    cut_[kind] = static_cast<float>(units * units * 1.0001);
    cut_[several] = std::max(cut_[several], cut_[kind]);
  }
}

void Earshot::pass(const Emitters& from) {
  std::array<world_pass::At, most_listeners> ears{};
  for (std::size_t e = 0; e < ears_.size(); ++e) ears[e] = {ears_[e].at.x, ears_[e].at.y, ears_[e].at.z};
  moved_.resize(in_a_pass + widest);
  near_.resize(in_a_pass + widest);
  for (std::size_t at = 0; at < emitters_.size(); at += in_a_pass) {
    world_pass::Found found{moved_.data(), 0, near_.data(), 0};
    {
      const std::lock_guard lock(from.mutex());
      const Emitters::Rows newest = from.rows();
      world_pass::run(
          {newest.x + at, newest.y + at, newest.z + at, emitters_.x.data() + at, emitters_.y.data() + at, emitters_.z.data() + at,
           emitters_.kind.data() + at, cut_.data(), static_cast<std::uint32_t>(at), std::min(in_a_pass, emitters_.size() - at)},
          ears.data(), ears_.size(), found);
      // What was heard in this update stays where it was heard, though it be placed meanwhile.
      const auto keep = [&](std::uint32_t slot) {
        if (emitters_.heard[slot] != 0) return emitters_.set(slot, emitters_.at[slot]);
        const Whereabouts its = from.newest(slot);
        emitters_.set(slot, its);
        kept_.push_back({emitter_in(slot, from.generation(slot)), its});
      };
      for (std::size_t i = 0; i < found.moved_count; ++i) keep(found.moved[i]);
      for (std::size_t i = 0; i < found.near_count; ++i)
        if (has_turned(from.newest(found.near[i]), emitters_.at[found.near[i]]) && emitters_.heard[found.near[i]] == 0) keep(found.near[i]);
    }
    contend_all(found.near, found.near_count, 0);
  }
  for (std::size_t at = 0; at < spots_.size(); at += in_a_pass) {
    world_pass::Found found{moved_.data(), 0, near_.data(), 0};
    world_pass::run(
        {spots_.x.data() + at, spots_.y.data() + at, spots_.z.data() + at, spots_.x.data() + at, spots_.y.data() + at, spots_.z.data() + at,
         spots_.kind.data() + at, cut_.data(), static_cast<std::uint32_t>(at), std::min(in_a_pass, spots_.size() - at)},
        ears.data(), ears_.size(), found);
    contend_all(found.near, found.near_count, spot_bit);
  }
}

/// All that plays from a place and is loud enough for it.
void Earshot::contend(std::uint32_t row) {
  const Rows& rows = rows_of(row);
  for (std::uint32_t start = rows.first[row & ~spot_bit]; start != none; start = sources_[start].next) {
    const Source& source = sources_[start];
    if (source.voiced || (bit_of(source.scope) & held_) != 0) continue;
    const HeardKind& kind = kinds_[source.kind];
    const std::optional<Level> bent = source.gauged ? (*bent_)({start, source.id}) : std::nullopt;
    const Level level = heard_level(source.own + bent.value_or(kind.bent), kind.group, level_from(*kind.hearing, rows.where(row), ears_));
    if (level.audible() && level > kind.needed) candidates_.push_back({{start, source.id}, {kind.rank, level}});
  }
}

/// As soon as there are many more than are asked for, the weakest of the best is the bar for all others.
void Earshot::contend_all(const std::uint32_t* rows, std::size_t count, std::uint32_t bit) {
  for (std::size_t i = 0; i < count; ++i) {
    contend(rows[i] | bit);
    if (candidates_.size() < 4 * most_ + 64) continue;
    keep_best(most_);
    if (candidates_.size() == most_) raise_bar();
  }
}

/// Whether the groups of a kind have room beside those of them that are chosen. If so, one more is.
bool Earshot::fits_in_groups(const HeardKind& kind, std::array<std::uint32_t, most_groups>& chosen) const {
  bool fits = true;
  limits_.each_over(kind.volume_group, [&](std::uint32_t group) { fits = fits && chosen[group] < limits_.groups[group].limit; });
  if (fits) limits_.each_over(kind.volume_group, [&](std::uint32_t group) { ++chosen[group]; });
  return fits;
}

/// The best, so many at most, in order; no more of a kind or a group than may be heard of it at once.
void Earshot::keep_best(std::size_t most) {
  std::sort(candidates_.begin(), candidates_.end(),
            [](const Candidate& a, const Candidate& b) { return std::tuple(b.standing, b.start.id) < std::tuple(a.standing, a.start.id); });
  for (HeardKind& kind : kinds()) kind.chosen = 0;
  std::array<std::uint32_t, most_groups> of_groups{};
  std::size_t taken = 0;
  for (std::size_t i = 0; i < candidates_.size() && taken < most; ++i) {
    HeardKind& kind = kinds_[sources_[candidates_[i].start.slot].kind];
    if (kind.limit > 0 && !kind.limit_each && kind.chosen++ >= kind.limit) continue;
    if (limits_.any && !fits_in_groups(kind, of_groups)) continue;
    candidates_[taken++] = candidates_[i];
  }
  candidates_.resize(taken);
}

/// So many free voices are taken by the first that can; whoever comes after them has to take another's. Of a kind whose limit is for each
/// emitter, or in a group that has a limit, nobody knows who can.
void Earshot::keep_fitting(std::size_t free) {
  for (HeardKind& kind : kinds()) kind.chosen = 0;
  std::erase_if(candidates_, [&](const Candidate& its) {
    HeardKind& kind = kinds_[sources_[its.start.slot].kind];
    if (limits_.own(kind.volume_group) != GroupLimits::none ||
        (kind.limit > 0 && (kind.limit_each || kind.heard + kind.chosen++ >= kind.limit)))
      return false;
    if (free == 0) return !(its.standing.level > kind.needed_for_another);
    --free;
    return false;
  });
}

void Earshot::raise_bar() {
  const Candidate& bar = candidates_.back();
  constexpr Level::Step just_below{-1};  // of two that are alike the younger comes first
  for (HeardKind& kind : kinds()) kind.needed = std::max(kind.needed, needed_against(bar.standing, kind.rank, just_below));
  make_cuts();
}

std::span<const Contender> Earshot::search(const Emitters& from, std::size_t most, std::size_t free, const BentByEmitter& bent) {
  bent_ = &bent;
  candidates_.clear();
  contenders_.clear();
  most_ = most;
  make_cuts();
  if (ears_.empty()) {
    // Heard as on the screen, wherever it is.
    std::vector<std::uint32_t> there;
    for (std::uint32_t row = 0; row < emitters_.size(); ++row)
      if (emitters_.kind[row] != 0) there.push_back(row);
    contend_all(there.data(), there.size(), 0);
    there.clear();
    for (std::uint32_t row = 0; row < spots_.size(); ++row)
      if (spots_.kind[row] != 0) there.push_back(row);
    contend_all(there.data(), there.size(), spot_bit);
  } else {
    pass(from);
  }
  keep_best(most);
  if (free < candidates_.size()) keep_fitting(free);
  for (const Candidate& its : candidates_) {
    const Source& source = sources_[its.start.slot];
    contenders_.push_back({its.start, heard_from(*kinds_[source.kind].hearing, rows_of(source.row).where(source.row), ears_, layout_)});
  }
  return contenders_;
}

void Earshot::close() {
  searching_ = false;
  for (const std::uint32_t row : heard_rows_) emitters_.heard[row] = 0;
  heard_rows_.clear();
  for (const Later& its : later_) {
    switch (its.what) {
      case Later::What::add: add(its.start, its.kind, its.own, its.gauged, its.scope, its.emitter, its.at); break;
      case Later::What::change: change(its.start, its.own); break;
      case Later::What::remove: remove(its.start); break;
      case Later::What::keep: keep(its.emitter, its.at); break;
    }
  }
  later_.clear();
}

}  // namespace tidewater
