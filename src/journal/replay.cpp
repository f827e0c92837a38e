#include "tidewater/replay.hpp"

#include <fmt/format.h>

#include <hwy/targets.h>

#include <algorithm>
#include <limits>
#include <map>
#include <set>
#include <unordered_map>
#include <utility>

#include "bank/bank_data.hpp"
#include "dsp/kernels.hpp"
#include "dsp/resample.hpp"
#include "play/asking.hpp"
#include "play/control.hpp"
#include "play/options.hpp"
#include "request/described.hpp"

namespace tidewater {
namespace {

using Take = std::function<void(std::span<const float>)>;

constexpr std::int64_t block = 1024;
constexpr std::size_t most_of_a_request = 4096;  // bytes of text, as many as any but a made-up one has

bool is_of_library(const Request& request) {
  return std::holds_alternative<asked::ClipRead>(request) || std::holds_alternative<asked::ClipDropped>(request) ||
         std::holds_alternative<asked::Unreadable>(request);
}

}  // namespace

/// The manager's door, for those who play a journal again.
struct Replayed {
  static void begin(SoundManager& manager, const JournalScript& script) {
    manager.control_->noting.link.come_late(script.late);
    manager.control_->library.replaying = !script.written_by_hand();
    manager.control_->listening.adopts = true;
    manager.control_->handing.give_sums_to([&script, at = std::size_t{0}, &manager](const noted::Sums& now) mutable {
      if (!script.head.recorded) return;  // an older library summed other things
      while (at < script.sums.size() && script.sums[at].second < now.second) ++at;
      if (at == script.sums.size() || script.sums[at].second != now.second) return;
      const noted::Sums& then = script.sums[at];
      const std::string_view what = now.choose != then.choose   ? "what was drawn and picked"
                                    : now.voices != then.voices ? "who had a voice, slept, woke or ended"
                                    : now.play != then.play     ? "what was refused, held back or stopped"
                                                                : "";
      if (what.empty()) return;
      manager.note(fmt::format("before second {} this is other than the recording, first in {}; with the same book it would not be",
                               now.second, what));
      at = script.sums.size();
    });
  }
  /// Where time stood when the next request or update came.
  static void stand(SoundManager& manager, Frames lands) { manager.control_->noting.link.stand({{manager.clock().value}, {lands.value}}); }
  static void begin_update(SoundManager& manager, const KeptLists& kept) { manager.control_->begin_update(kept); }
  static std::uint32_t gauge(SoundManager& manager, const std::string& name) {
    return manager.control_->driving.gauges.names().find(Name(name));
  }
  static void finish_update(SoundManager& manager) { tidewater::finish_update(*manager.control_, {}); }
  /// Notes the sounds that have ended since the last request, as the destructor of the recorded manager did. It is no update: an update
  /// could wake or silence sounds, and the session had none here.
  static void end(SoundManager& manager) {
    Control& control = *manager.control_;
    {
      const Asking asking(control);
      control.settle();
    }
    control.handing.run(control, {});
  }
  /// A recording may have more requests in a frame than a notebook has room for: the game's own was handed on meanwhile. A replay refuses
  /// none of them.
  static void make_room(Control& control, std::size_t bytes = 0) {
    if (!control.noting.notebook.has_room(most_of_a_request + bytes)) control.handing.run(control, {});
  }
  static void turn(SoundManager& manager, const asked::Turn& turn) {
    make_room(*manager.control_, turn.design.size());
    manager.turn(turn.bank, turn.sound, turn.design);
  }
  /// Returns the number of a raise; 0 for another request.
  static std::uint64_t ask(SoundManager& manager, const Request& request, Frames into) {
    Control& control = *manager.control_;
    make_room(control);
    const std::lock_guard lock(control.mutex);
    // The library makes its own requests at the end of an update, and does not settle before them. Anything that other requests put on the
    // agenda during that update is carried out later.
    if (is_of_library(request))
      control.noting.link.read_clock(control.noting.notebook);
    else
      control.settle();
    std::uint64_t number = 0;
    control.ask(request, {.into = into.value, .number = &number});
    control.commit();
    return number;
  }
};

namespace {

class Player {
 public:
  Player(const JournalScript& script, std::span<const Bank> banks, SoundManager& manager, const Take& take)
      : script_(script), banks_(banks), manager_(manager), take_(take) {}

  void run() {
    Replayed::begin(manager_, script_);
    tell_of_machine();
    if (script_.written_by_hand() && !script_.loads_a_bank())
      for (const Bank& bank : banks_) manager_.load(bank);
    for (std::size_t i = 0; i < script_.requests.size(); ++i) {
      next_ = i;
      const Frames at = script_.requests[i].at;
      behind_ = i > 0 && script_.requests[i - 1].at == at ? behind_ + 1 : 0;
      play_to(at);
      Replayed::stand(manager_, script_.requests[i].asked.lands);
      carry_out(script_.requests[i]);
      next_ = i + 1;
      finish_if_nothing_comes_between();
    }
    if (script_.breaks_off > 0)
      manager_.note(fmt::format("{}:{}: the journal breaks off in this line, as after a crash; what comes before it was played",
                                script_.file, script_.breaks_off));
    behind_ = noted::Updates::all;
    if (script_.late_streams > 0)
      manager_.note(fmt::format("in the recording the disk was late for a stream {}; here it was in time, so the samples differ there",
                                script_.late_streams == 1 ? "once" : fmt::format("{} times", script_.late_streams)));
    if (script_.end) {
      play_to(*script_.end);
      if (script_.written_by_hand())
        manager_.update({});
      else
        Replayed::end(manager_);
      return;
    }
    const Frames latest = manager_.clock() + frames(longest_tail, manager_.rate());
    while (sounding() && manager_.clock() < latest) {
      play_to(std::min(latest, manager_.clock() + Frames{block}));
      if (next_update() == no_more) manager_.update({});  // the journal's own are over, but what ends is found by one
    }
    if (sounding()) cut_off();
  }

 private:
  void tell_of_machine() {
    const std::string& its = script_.head.machine;
    if (its.empty() || its == machine()) return;
    manager_.note(
        fmt::format("recorded on a machine of the kind {}, and mixed here as {}: decisions are the same, samples may differ by "
                    "less than is heard (mix_as, or render --as-recorded, asks for the same kind)",
                    its, machine()));
  }

  /// A loop that nothing stops would go on for ever.
  void cut_off() {
    constexpr Seconds fade{0.05};
    const Stats stats = manager_.stats();
    manager_.note(
        fmt::format("{} of the playbacks still went on {:.0f} s after the last request, and were cut off; stop them, or end the "
                    "journal with {{\"at\": \"60 s\", \"end\": true}}",
                    stats.playbacks, longest_tail.value));
    manager_.stop_all(fade);
    play_to(manager_.clock() + frames(fade, manager_.rate()) + Frames{block});
    manager_.update({});
  }

  bool sounding() const {
    const Stats stats = manager_.stats();
    return stats.voices + stats.fading + stats.dormant > 0;
  }

  /// Renders up to a frame, with the game's updates on the way.
  void play_to(Frames at) {
    const auto is_before = [&](Frames update) { return update < at || (update == at && updates_come_after() <= behind_); };
    for (Frames next = next_update(); is_before(next); next = next_update()) {
      finish_update();  // nothing comes between its halves any more
      render_to(next);
      Replayed::stand(manager_, next + (run_ < script_.updates.size() ? script_.updates[run_].ahead : Frames{}));
      Replayed::begin_update(manager_, kept_by(next));
      under_way_ = true;
      ++updates_;
      if (!is_before(next_update())) finish_if_nothing_comes_between();
    }
    render_to(at);
  }

  /// What the update that comes next keeps of emitters, in the recording.
  KeptLists kept_by(Frames at) {
    kept_.clear();
    kept_gauges_.clear();
    ++update_;
    for (; next_kept_ < script_.kept.size(); ++next_kept_) {
      const ScriptedKept& its = script_.kept[next_kept_];
      if (its.kept.update == 0 ? its.at > at : its.kept.update > update_) break;
      for (const noted::KeptEmitter& emitter : its.kept.emitters) {
        if (its.kept.update == 0) places_[emitter.emitter.number] = &emitter;
        KeptState& state = kept_.emplace_back();
        state.emitter = emitter.emitter;
        state.gone = emitter.gone;
        set_place(state.at, emitter.place);
        set_velocity(state.at, emitter.velocity);
        set_facing(state.at, emitter.facing);
      }
      for (const noted::KeptGauge& said : its.kept.gauges) {
        const std::uint32_t gauge = Replayed::gauge(manager_, said.gauge);
        if (gauge != Numbers::none) kept_gauges_.push_back({said.emitter, gauge, said.value});
      }
    }
    return {kept_, kept_gauges_};
  }
  /// Whoever writes by hand says once where an emitter is.
  void fill_in(asked::Raise& raise, Frames at) {
    if (raise.place || !raise.emitter) return;
    for (std::size_t i = next_kept_; i < script_.kept.size() && script_.kept[i].kept.update == 0 && script_.kept[i].at <= at; ++i)
      for (const noted::KeptEmitter& emitter : script_.kept[i].kept.emitters) places_[emitter.emitter.number] = &emitter;
    const auto known = places_.find(raise.emitter.number);
    if (known == places_.end() || known->second->gone) return;
    raise.place = known->second->place;
    raise.velocity = known->second->velocity;
    raise.facing = known->second->facing;
  }

  /// What came while an update was under way comes between its halves.
  void finish_if_nothing_comes_between() {
    if (next_ == script_.requests.size() || !script_.requests[next_].asked.meanwhile) finish_update();
  }
  void finish_update() {
    if (std::exchange(under_way_, false)) Replayed::finish_update(manager_);
  }

  /// How many of the requests of its frame the next update comes after.
  std::uint32_t updates_come_after() const { return run_ < script_.updates.size() ? script_.updates[run_].after : 0; }

  static constexpr Frames no_more{std::numeric_limits<std::int64_t>::max()};
  /// The frame of the update that has not been made yet.
  Frames next_update() {
    while (run_ < script_.updates.size() && updates_ == script_.updates[run_].times) {
      ++run_;
      updates_ = 0;
    }
    constexpr std::int64_t updates_a_second = 60;
    const auto count = static_cast<std::int64_t>(updates_);
    if (script_.written_by_hand()) return {static_cast<std::int64_t>(manager_.rate().value) * (count + 1) / updates_a_second};
    if (run_ == script_.updates.size()) return no_more;
    return script_.updates[run_].first + Frames{script_.updates[run_].every.value * count};
  }

  void render_to(Frames at) {
    std::vector<float> samples;
    for (std::int64_t left = at.value - manager_.clock().value; left > 0; left -= block) {
      samples.resize(static_cast<std::size_t>(std::min(left, block)) * static_cast<std::size_t>(channels(manager_.layout())));
      manager_.render(samples);
      take_(samples);
    }
  }

  /// The event that a raise of the journal is of; null where no bank has it.
  const BankEvent* event_of(std::uint64_t raise, const BankData** its_bank = nullptr) const {
    const auto raised = events_.find(raise);
    const BankEvent* event = nullptr;
    if (raised == events_.end()) return event;
    for (const Bank& bank : banks_)
      for (const BankEvent& known : data_of(bank).events)
        if (known.name == raised->second && (event == nullptr || known.responses.size() > event->responses.size())) {
          event = &known;
          if (its_bank != nullptr) *its_bank = &data_of(bank);
        }
    return event;
  }

  void tell(std::size_t line, const std::string& what) { manager_.note(fmt::format("{}:{}: {}", script_.file, line, what)); }

  /// Returns the number that a recorded raise has in the replay. A raise that an event caused keeps its distance from the game's last
  /// raise before it.
  std::uint64_t number_now(std::uint64_t recorded) const {
    auto before = raises_.upper_bound(recorded);
    if (before == raises_.begin()) return recorded;
    --before;
    return before->second + (recorded - before->first);
  }

  /// A recorded raise had its own number; a hand-written one has the number of its line among the raises. A playback is known by its
  /// sound, too: tomorrow's book may have its responses in another order.
  PlaybackId found_again(PlaybackId id, std::size_t line) {
    const std::uint64_t raise = number_now(id.raise);
    const BankData* bank = nullptr;
    const BankEvent* event = event_of(id.raise, &bank);
    if (event == nullptr) return {raise, id.response, id.beat};
    const auto recorded = script_.sounds.find(id);
    if (recorded == script_.sounds.end()) {
      if (id.response > event->responses.size())
        tell(line, fmt::format("there never was a playback {}.{}: raise {} is '{}', whose responses are {}.1 to {}.{}", id.raise,
                               id.response, id.raise, event->name, id.raise, id.raise, event->responses.size()));
      return {raise, id.response, id.beat};
    }
    const auto plays_it = [&](std::size_t response) {
      return response < event->responses.size() && event->responses[response].starts() &&
             bank->sounds[event->responses[response].target].name == recorded->second;
    };
    if (plays_it(id.response - 1)) return {raise, id.response, id.beat};
    for (std::uint32_t response = 0; response < event->responses.size(); ++response)
      if (plays_it(response)) return {raise, response + 1, id.beat};
    tell(line, fmt::format("playback {}.{} was of '{}', which '{}' does not start any more", id.raise, id.response, recorded->second,
                           event->name));
    return {raise, 0};
  }

  /// The bank that was recorded with, or one of its name, and then a notice; null where there is none.
  const Bank* recorded_bank(std::string_view name, ContentHash content, std::size_t line) {
    const Bank* found = nullptr;
    for (const Bank& bank : banks_) {
      if (bank.name() != name) continue;
      if (found == nullptr || bank.content() == content) found = &bank;
      if (bank.content() == content) break;
    }
    others_.erase(std::string(name));
    if (found == nullptr) {
      tell(line, fmt::format("there is no bank '{}' here; its events are not heard", name));
    } else if (content != ContentHash{} && found->content() != ContentHash{} && content != found->content()) {
      others_.insert(std::string(name));
      tell(line, fmt::format("the bank '{}' is not as it was when this was recorded", name));
    }
    return found;
  }

  void carry_out(const ScriptedRequest& scripted) {
    if (const auto* load = std::get_if<asked::Load>(&scripted.asked.request)) {
      if (const Bank* bank = recorded_bank(load->bank, load->content, scripted.line)) manager_.load(*bank, load->preload);
    } else if (const auto* reload = std::get_if<asked::Reload>(&scripted.asked.request)) {
      if (const Bank* bank = recorded_bank(reload->bank, reload->content, scripted.line)) manager_.reload(*bank, reload->preload);
    } else if (const auto* unload = std::get_if<asked::Unload>(&scripted.asked.request)) {
      manager_.unload(unload->bank, unload->what_plays);
    } else if (const auto* turn = std::get_if<asked::Turn>(&scripted.asked.request)) {
      if (others_.contains(std::string(turn->bank)))
        tell(scripted.line,
             fmt::format("'{}' was turned while this was recorded; that is left out, because the bank is another now", turn->sound.text()));
      else
        Replayed::turn(manager_, *turn);
    } else {
      Request request = scripted.asked.request;
      if (PlaybackId* named = playback_in(request)) *named = found_again(*named, scripted.line);
      if (auto* raise = std::get_if<asked::Raise>(&request)) fill_in(*raise, scripted.at);
      if (auto* raise = std::get_if<asked::Raise>(&request); raise != nullptr && raise->action != 0)
        raise->action = number_now(raise->action);
      const std::uint64_t number = Replayed::ask(manager_, request, scripted.asked.into);
      if (const auto* raise = std::get_if<asked::Raise>(&scripted.asked.request); raise != nullptr && number != 0) {
        events_[raise->id] = raise->event.text();
        raises_[raise->id] = number;
      }
    }
  }

  const JournalScript& script_;
  std::span<const Bank> banks_;
  SoundManager& manager_;
  const Take& take_;
  std::map<std::uint64_t, std::uint64_t> raises_;               ///< recorded number to the number now
  std::unordered_map<std::uint64_t, std::string_view> events_;  ///< by the raise's number
  std::size_t run_ = 0;                                         ///< of the script's updates
  std::set<std::string> others_;                                ///< loaded banks whose content is not the recorded one
  std::vector<KeptState> kept_;
  std::vector<KeptGauge> kept_gauges_;
  std::size_t next_kept_ = 0;
  std::uint64_t update_ = 0;                                             ///< made so far, all runs together
  std::unordered_map<std::uint64_t, const noted::KeptEmitter*> places_;  ///< last that a journal written by hand says, by emitter
  std::size_t next_ = 0;                                                 ///< request that comes next
  bool under_way_ = false;                                               ///< an update is
  std::uint64_t updates_ = 0;                                            ///< made in this run
  std::uint32_t behind_ = 0;                                             ///< requests of the frame that is played to that were carried out
};

}  // namespace

namespace {

/// The best, or the one of this name; false where this machine has none such.
bool take_target(std::string_view machine) {
  hwy::SetSupportedTargetsForTest(0);  // whatever there is
  if (machine.empty() || machine == kernels::target_name()) return true;
  for (std::int64_t left = hwy::SupportedTargets(); left != 0; left &= left - 1) {
    hwy::SetSupportedTargetsForTest(left & -left);
    if (machine == kernels::target_name()) return true;
  }
  return false;
}

}  // namespace

std::string machine() { return kernels::target_name(); }

JournalScript without_player(JournalScript script) {
  bool changed = false;
  for (ScriptedRequest& its : script.requests) {
    if (auto* level = std::get_if<asked::SetPlayerLevel>(&its.asked.request)) level->level = {}, changed = true;
    if (auto* turn = std::get_if<asked::SetPlayerSwitch>(&its.asked.request)) turn->on = true, changed = true;
  }
  if (changed) script.sums.clear();  // the replay decides otherwise than the recording, on purpose
  return script;
}

bool mix_as(std::string_view machine) {
  const std::int64_t before = hwy::SupportedTargets();
  const bool found = take_target(machine);
  if (!found) hwy::SetSupportedTargetsForTest(before);
  prepare_filters();  // for managers that there are already
  return found;
}

ManagerOptions options_of(const JournalScript& script) {
  const noted::Head& head = script.head;
  // A recording says how much room there was. Otherwise there is room for every emitter that the journal speaks of.
  std::uint32_t emitters = head.emitters;
  const auto make_room = [&](Emitter emitter) { emitters = std::max(emitters, static_cast<std::uint32_t>(emitter.number)); };
  for (const ScriptedKept& its : script.kept)
    for (const noted::KeptEmitter& emitter : its.kept.emitters) make_room(emitter.emitter);
  for (const ScriptedRequest& its : script.requests)
    if (const auto* raise = std::get_if<asked::Raise>(&its.asked.request); raise != nullptr && raise->place) make_room(raise->emitter);
  ManagerOptions options{.offline = true};
  copy_deciding_options(options, head);
  if (!head.recorded) options.emitters = emitters;
  return options;
}

void replay(const JournalScript& script, std::span<const Bank> banks, SoundManager& manager, const Take& take) {
  Player(script, banks, manager, take).run();
}

}  // namespace tidewater
