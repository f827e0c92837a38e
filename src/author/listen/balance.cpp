#include "tidewater/author/balance.hpp"

#include <ebur128.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <utility>

#include "author/listen/own_loudness.hpp"
#include "author/listen/slabs.hpp"
#include "author/listen/speech_meter.hpp"
#include "dsp/kernels.hpp"
#include "dsp/limiter.hpp"
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
  enum class Kind { sound, group, end };
  Kind kind = Kind::end;
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
      : loudness_(rate, OwnLoudness::Silence::counts),
        peaks_(ebur128_init(2, static_cast<unsigned long>(rate.value), EBUR128_MODE_TRUE_PEAK)) {}

  void add(std::int64_t from, std::span<const float> left, std::span<const float> right) {
    loudness_.add(from, left, right);
    loudness_.flush();
    for (std::size_t at = 0; at < left.size(); at += piece) {
      const std::size_t count = std::min(piece, left.size() - at);
      look_for_peak(left.subspan(at, count), right.subspan(at, count));
    }
  }

  void results(Balance& to) {
    loudness_.finish();
    to.integrated = loudness_.integrated();
    to.range = loudness_.range();
    to.true_peak = decibels(std::max(true_peak(), highest_));
  }

 private:
  struct Free {
    void operator()(ebur128_state* meter) const { ebur128_destroy(&meter); }
  };
  static constexpr std::size_t piece = 64, past = Limiter::taps;

  /// The standard's true peak takes long to measure, so the limiter's quick estimate, which never reads less, says where to look.
  void look_for_peak(std::span<const float> left, std::span<const float> right) {
    float estimated = 0;
    for (const auto& [samples, its] : {std::pair(left, &past_[0]), std::pair(right, &past_[1])}) {
      std::copy(its->begin() + static_cast<std::ptrdiff_t>(samples.size()),
                its->begin() + static_cast<std::ptrdiff_t>(past + samples.size()), its->begin());
      std::copy(samples.begin(), samples.end(), its->begin() + past);
      std::array<float, piece> peaks{};
      kernels::peaks(true_peak_rows(), Limiter::phases, Limiter::taps, its->data() + 1, peaks.data(), static_cast<int>(samples.size()));
      for (const float its_peak : peaks) estimated = std::max(estimated, its_peak);
      for (const float x : samples) highest_ = std::max(highest_, static_cast<double>(std::abs(x)));
    }
    if (static_cast<double>(estimated) <= std::max(true_peak_, highest_)) return;
    // The estimate is of the frames around the middle. The ends fade, since a jump would read as a peak.
    constexpr std::size_t fade = 16;
    const std::size_t all = past + left.size();
    stereo_.clear();
    for (std::size_t i = 0; i < all; ++i) {
      const float gain = static_cast<float>(std::min({fade, i, all - 1 - i})) / fade;
      stereo_.push_back(gain * past_[0][i]), stereo_.push_back(gain * past_[1][i]);
    }
    ebur128_add_frames_float(peaks_.get(), stereo_.data(), stereo_.size() / 2);
    true_peak_ = true_peak();
  }
  double true_peak() const {
    double peak = 0, value = 0;
    for (const unsigned channel : {0U, 1U})
      if (ebur128_true_peak(peaks_.get(), channel, &value) == EBUR128_SUCCESS) peak = std::max(peak, value);
    return peak;
  }

  OwnLoudness loudness_;
  std::unique_ptr<ebur128_state, Free> peaks_;
  std::array<std::array<float, past + piece>, 2> past_{};  ///< of each channel: what lies before the present piece, and it
  std::vector<float> stereo_;
  double highest_ = 0, true_peak_ = 0;  ///< of the samples; between them
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
      case Piece::Kind::sound: {
        Measured& sound = measured(sounds, its.name, its.of, rate);
        sound.loudness.add(its.from, left, right, its.level);
        sound.playbacks.emplace(its.session, PlaybackId{its.playback.raise, its.playback.response});
        if (its.of != options.speech) speech.add_sound(its.name, its.from, left, right, its.level);
        break;
      }
      case Piece::Kind::group:
        if (its.name == options.speech) speech.add_speech(its.from, left, right, its.level);
        if (its.of.empty() && its.own > 0) speech.add_all(its.from, left, right, 1 / its.own);
        break;
      case Piece::Kind::end:
        for (auto& [name, one] : sounds) one.loudness.flush();
        speech.end_session();
        break;
    }
  };
  Balance balance;
  for (std::size_t session = 0; session < sessions.size(); ++session) {
    const JournalScript script = options.as_played ? sessions[session] : without_player(sessions[session]);
    ManagerOptions manager_options = options_of(script);
    manager_options.layout = Layout::stereo;
    SoundManager manager(std::move(manager_options));
    Slabs<Piece, decltype(measure)> slabs(measure);       // pieces name things of the manager, so it ends before that
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
                        measured(groups, its.group, its.parent, rate).loudness.add(its.from.value, its.left, its.right, its.above);
                        if (its.group != options.speech && !its.parent.empty()) return;
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
      whole.add(rendered.value, left, right);
      rendered = rendered + Frames{static_cast<std::int64_t>(left.size())};
      if (options.progress) options.progress(done + seconds(rendered, rate), all);
    });
    slabs.add({.kind = Piece::Kind::end, .session = session, .name = {}, .of = {}, .playback = {}}, {}, {});
    for (auto& [name, one] : groups) one.loudness.flush();
    slabs.finish();
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
