#include "tidewater/author/balance.hpp"

#include <ebur128.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <utility>

#include "author/listen/own_loudness.hpp"
#include "author/listen/slabs.hpp"
#include "author/listen/speech_meter.hpp"
#include "tidewater/error.hpp"
#include "tidewater/taps.hpp"

namespace tidewater {
namespace {

constexpr double most_apart = 6;  ///< LU between a sound and its group

/// What is measured of one group or sound.
struct Measured {
  explicit Measured(Hertz rate) : loudness(rate) {}
  OwnLoudness loudness;
  std::string group;
  std::set<std::pair<std::size_t, PlaybackId>> playbacks;
};
using ByName = std::map<std::string, Measured, std::less<>>;

Measured& measured(ByName& of, std::string_view name, std::string_view group, Hertz rate) {
  auto known = of.find(name);
  if (known == of.end()) {
    known = of.emplace(std::string(name), Measured(rate)).first;
    known->second.group = group;
  }
  return known->second;
}

/// What a piece of samples is.
struct Piece {
  enum class Kind { whole, sound, group, end };
  Kind kind = Kind::whole;
  std::size_t session = 0;
  std::string_view name, of;  ///< of a sound: and its group; of a group: and its parent
  PlaybackId playback;
  std::int64_t from = 0;
  double level = 1;  ///< amplitude of what is above it, below the master
  double own = 1;    ///< of a group: amplitude of its own level
  std::size_t first = 0, count = 0;
};

/// The whole mix, as it leaves the manager.
class WholeMeter {
 public:
  explicit WholeMeter(Hertz rate)
      : loudness_(meter(rate, EBUR128_MODE_I | EBUR128_MODE_LRA)), peaks_(meter(rate, EBUR128_MODE_TRUE_PEAK)) {}

  void add(std::span<const float> left, std::span<const float> right) {
    stereo_.clear();
    for (std::size_t i = 0; i < left.size(); ++i) stereo_.push_back(left[i]), stereo_.push_back(right[i]);
    ebur128_add_frames_float(loudness_.get(), stereo_.data(), left.size());
    for (std::size_t at = 0; at < stereo_.size(); at += piece)
      look_for_peak(std::span(stereo_).subspan(at, std::min(piece, stereo_.size() - at)));
  }

  void results(Balance& to) const {
    double value = 0;
    if (ebur128_loudness_global(loudness_.get(), &value) == EBUR128_SUCCESS && std::isfinite(value)) to.integrated = {value};
    if (ebur128_loudness_range(loudness_.get(), &value) == EBUR128_SUCCESS) to.range = value;
    to.true_peak = decibels(std::max(true_peak(), highest_));
  }

 private:
  struct Free {
    void operator()(ebur128_state* meter) const { ebur128_destroy(&meter); }
  };
  using Meter = std::unique_ptr<ebur128_state, Free>;
  static Meter meter(Hertz rate, int mode) { return Meter(ebur128_init(2, static_cast<unsigned long>(rate.value), mode)); }
  static constexpr std::size_t piece = 2 * 64;
  static constexpr double worth = 0.6;  ///< of the highest peak: the true peak lies less than 4 dB above the sample before it

  /// A true peak takes long to measure, so it is looked for only where the samples come near the highest so far.
  void look_for_peak(std::span<const float> samples) {
    double peak = 0;
    for (const float x : samples) peak = std::max(peak, std::abs(static_cast<double>(x)));
    const bool near = peak > worth * std::max(highest_, true_peak()) && peak > 0;
    if (near && !was_near_) ebur128_add_frames_float(peaks_.get(), before_.data(), before_.size() / 2);
    if (near || was_near_) ebur128_add_frames_float(peaks_.get(), samples.data(), samples.size() / 2);
    was_near_ = near;
    highest_ = std::max(highest_, peak);
    before_.assign(samples.begin(), samples.end());
  }
  double true_peak() const {
    double peak = 0, value = 0;
    for (const unsigned channel : {0U, 1U})
      if (ebur128_true_peak(peaks_.get(), channel, &value) == EBUR128_SUCCESS) peak = std::max(peak, value);
    return peak;
  }

  Meter loudness_, peaks_;
  std::vector<float> stereo_, before_ = std::vector<float>(piece);
  double highest_ = 0;  ///< of the samples
  bool was_near_ = false;
};

std::vector<BalanceRow> rows_of(ByName& measured) {
  std::vector<BalanceRow> rows;
  for (auto& [name, its] : measured) {
    its.loudness.finish();
    if (its.loudness.heard() > Seconds{})
      rows.push_back({name, its.group, its.loudness.integrated(), its.loudness.short_term(), its.loudness.heard(), its.playbacks.size()});
  }
  std::stable_sort(rows.begin(), rows.end(), [](const BalanceRow& a, const BalanceRow& b) { return a.integrated > b.integrated; });
  return rows;
}

/// How loud each sound is beside its group. A sound that is all that its group has is the group.
void compare_with_groups(Balance& balance) {
  for (BalanceRow& row : balance.sounds) {
    const auto group =
        std::find_if(balance.groups.begin(), balance.groups.end(), [&](const BalanceRow& its) { return its.name == row.group; });
    if (group == balance.groups.end() || group->integrated == silence || row.integrated == silence) continue;
    row.from_group = row.integrated.value - group->integrated.value;
    row.stands_out = std::abs(row.from_group) > most_apart;
    if (row.stands_out) row.turn = (row.from_group > 0 ? most_apart : -most_apart) - row.from_group;
  }
}

Seconds length_of(const JournalScript& script) {
  const Frames last = script.end ? *script.end : script.requests.empty() ? Frames{} : script.requests.back().at;
  return seconds(last, script.head.rate);
}

}  // namespace

JournalScript without_player(JournalScript script) {
  std::erase_if(script.requests, [](const ScriptedRequest& its) {
    return std::holds_alternative<asked::SetPlayerLevel>(its.asked.request) ||
           std::holds_alternative<asked::SetPlayerSwitch>(its.asked.request);
  });
  script.sums.clear();  // it decides otherwise, on purpose
  return script;
}

Balance balance_of(std::span<const Bank> banks, std::span<const JournalScript> sessions, const BalanceOptions& options) {
  if (sessions.empty()) throw Error("a balance needs a session: name a journal");
  const Hertz rate = sessions.front().head.rate;
  Seconds all, done;
  for (const JournalScript& script : sessions) {
    if (script.head.rate != rate)
      throw Error(fmt::format("{}: was recorded at {}, and {} at {}; measure them one by one", script.file, to_text(script.head.rate),
                              sessions.front().file, to_text(rate)));
    all = all + length_of(script);
  }
  ByName groups, sounds;
  WholeMeter whole(rate);
  SpeechMeter speech(rate);
  const auto measure = [&](const Piece& its, std::span<const float> left, std::span<const float> right) {
    switch (its.kind) {
      case Piece::Kind::whole: whole.add(left, right); break;
      case Piece::Kind::sound: {
        Measured& sound = measured(sounds, its.name, its.of, rate);
        sound.loudness.add(its.from, left, right, its.level);
        sound.playbacks.emplace(its.session, PlaybackId{its.playback.raise, its.playback.response});
        if (its.of != options.speech) speech.add_sound(its.name, its.from, left, right, its.level);
        break;
      }
      case Piece::Kind::group:
        measured(groups, its.name, its.of, rate).loudness.add(its.from, left, right, its.level);
        if (its.name == options.speech) speech.add_speech(its.from, left, right, its.level);
        if (its.of.empty() && its.own > 0) speech.add_all(its.from, left, right, 1 / its.own);
        break;
      case Piece::Kind::end:
        for (auto* list : {&groups, &sounds})
          for (auto& [name, one] : *list) one.loudness.flush();
        speech.end(its.session);
        break;
    }
  };
  Slabs<Piece, decltype(measure)> slabs(measure);
  Balance balance;
  for (std::size_t session = 0; session < sessions.size(); ++session) {
    const JournalScript script = options.as_played ? sessions[session] : without_player(sessions[session]);
    ManagerOptions manager_options = options_of(script);
    manager_options.layout = Layout::stereo;
    SoundManager manager(std::move(manager_options));
    std::map<std::string, double, std::less<>> level_of;  // of each group down to the master, as it is set
    tap(manager, {.sound =
                      [&](const TappedSound& its) {
                        const auto known = level_of.find(its.group);
                        slabs.add({.kind = Piece::Kind::sound,
                                   .session = session,
                                   .name = its.sound,
                                   .of = its.group,
                                   .playback = its.playback,
                                   .from = its.from.value,
                                   .level = known == level_of.end() ? 1 : known->second},
                                  its.left, its.right);
                      },
                  .group =
                      [&](const TappedGroup& its) {
                        level_of.insert_or_assign(std::string(its.group), its.own * its.above);
                        slabs.add({.kind = Piece::Kind::group,
                                   .session = session,
                                   .name = its.group,
                                   .of = its.parent,
                                   .playback = {},
                                   .from = its.from.value,
                                   .level = its.above,
                                   .own = its.own},
                                  its.left, its.right);
                      }});
    Frames rendered;
    std::vector<float> left, right;
    replay(script, banks, manager, [&](std::span<const float> block) {
      left.clear(), right.clear();
      for (std::size_t i = 0; i + 1 < block.size(); i += 2) left.push_back(block[i]), right.push_back(block[i + 1]);
      slabs.add({.kind = Piece::Kind::whole, .session = session, .name = {}, .of = {}, .playback = {}, .from = rendered.value}, left,
                right);
      rendered = rendered + Frames{static_cast<std::int64_t>(left.size())};
      if (options.progress) options.progress(done + seconds(rendered, rate), all);
    });
    slabs.add({.kind = Piece::Kind::end, .session = session, .name = {}, .of = {}, .playback = {}}, {}, {});
    slabs.finish();  // names are views of the manager's
    balance.length = balance.length + seconds(rendered, rate);
    done = balance.length;
  }
  whole.results(balance);
  balance.groups = rows_of(groups);
  balance.sounds = rows_of(sounds);
  compare_with_groups(balance);
  if (groups.contains(options.speech)) balance.speech_group = options.speech;
  speech.results(balance);
  return balance;
}

}  // namespace tidewater
