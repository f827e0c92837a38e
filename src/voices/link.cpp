#include "voices/link.hpp"

#include <algorithm>
#include <chrono>
#include <type_traits>
#include <utility>

namespace tidewater {
namespace {

/// What a command sets: of a voice, or of a group or scope, and which of several things alike.
struct Aim {
  bool of_group = false;
  std::uint32_t index = 0;
  std::uint32_t which = 0;
  friend bool operator==(const Aim&, const Aim&) = default;
};

Aim aim_of(const Command& command) {
  return std::visit(
      [](const auto& its) -> Aim {
        using Its = std::decay_t<decltype(its)>;
        if constexpr (std::is_same_v<Its, SetFilter>)
          return {its.group, its.index, static_cast<std::uint32_t>(its.kind)};
        else if constexpr (std::is_same_v<Its, SetGroupGain>)
          return {true, its.group, its.of_moods ? 1U : 0U};
        else if constexpr (std::is_same_v<Its, SetDuck>)
          return {true, its.group, its.number};
        else if constexpr (std::is_same_v<Its, DefineGroup>)
          return {true, its.group};
        else if constexpr (std::is_same_v<Its, SetScope>)
          return {true, its.scope};
        else
          return {false, its.voice};
      },
      command);
}

/// Whether the later of two commands leaves nothing of the earlier.
bool replaces(const Command& later, const Command& earlier) { return later.index() == earlier.index() && aim_of(later) == aim_of(earlier); }

}  // namespace

Link::Link(const MixerOptions& options, bool offline)
    : mixer_(options), rate_(options.rate), channels_(channels(options.layout)), offline_(offline) {
  constexpr std::size_t commands_a_voice = 9, commands_a_group = 5 + most_ducks;
  backlog_.reserve(options.voices * commands_a_voice + most_groups * commands_a_group + most_scopes);
  reports_.reserve(options.voices);
}

void Link::read_clock(Notebook& notebook) {
  now_ = mixer_.moment();
  if (replayed_ && replayed_->at == now_.at) now_.lands = replayed_->lands;
  replayed_.reset();
  reports_.erase(reports_.begin(), reports_.begin() + static_cast<std::ptrdiff_t>(std::exchange(next_report_, 0)));
  if (mixer_.reported() != taken_) take_reports(notebook);
}

void Link::take_reports(Notebook& notebook) {
  CameLate late;
  for (; mixer_.poll(late); ++taken_) notebook.add(now_.at, noted::Late{late.request, {late.landed.value}});
  if (const std::uint64_t lost = mixer_.take_lost_late(); lost > 0)
    notebook.add(now_.at, NoticeNote{.why = notebook.keep({.code = Reason::Code::late_lost, .number = static_cast<double>(lost)})});
  VoiceFinished found;
  for (; mixer_.poll(found, now_.at); ++taken_) reports_.push_back(found);
  std::sort(reports_.begin(), reports_.end(),
            [](const VoiceFinished& a, const VoiceFinished& b) { return std::pair(a.frame, a.voice) < std::pair(b.frame, b.voice); });
}

void Link::count_request() {
  ++request_;
  if (std::exchange(sent_for_, now_.lands) != now_.lands) sent_ = 0;
  if (!backlog_.empty()) send_put_off();
}

void Link::send_put_off() {
  const auto left = std::find_if(backlog_.begin(), backlog_.end(), [&](const Command& its) { return !post(its); });
  backlog_.erase(backlog_.begin(), left);
}

void Link::send(const Command& command) {
  if (!backlog_.empty() || !post(command)) put_off(command);
}

bool Link::post(const Command& command) {
  if (sent_ == commands_a_block || !mixer_.post(command, request_, lands_of_request())) return false;
  ++sent_;
  return true;
}

MixFrame Link::late_or_now() const {
  const auto late = std::find_if(late_.begin(), late_.end(), [&](const noted::Late& l) { return l.request == request_; });
  return late == late_.end() ? now_.lands : MixFrame{late->landed.value};
}

/// Where nothing renders, or a flood came between two blocks, only what counts in the end is kept: so this never grows beyond a
/// few commands for each voice and group.
void Link::put_off(Command command) {
  const auto known = std::find_if(backlog_.begin(), backlog_.end(), [&](const Command& its) { return replaces(command, its); });
  if (known != backlog_.end()) {
    if (auto* stop = std::get_if<StopVoice>(&command)) stop->fade = std::min(stop->fade, std::get<StopVoice>(*known).fade);
    backlog_.erase(known);
  }
  backlog_.push_back(command);
}

void Link::render(std::span<float> out) noexcept {
  if (!offline_) {
    call_began_.store(std::chrono::steady_clock::now().time_since_epoch().count(), std::memory_order_relaxed);
    call_frames_.store(static_cast<std::int64_t>(out.size()) / channels_, std::memory_order_relaxed);
  }
  mixer_.render(out);
}

std::int64_t Link::into_block() const {
  if (offline_) return 0;
  const auto nanoseconds = std::chrono::steady_clock::now().time_since_epoch().count() - call_began_.load(std::memory_order_relaxed);
  const auto passed = static_cast<std::int64_t>(static_cast<double>(nanoseconds) * rate_ * 1e-9);
  return std::clamp<std::int64_t>(passed, 0, call_frames_.load(std::memory_order_relaxed));
}

}  // namespace tidewater
