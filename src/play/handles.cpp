/// Calls of handles and guards.

#include <mutex>
#include <string>
#include <utility>

#include "base/fail.hpp"
#include "play/asking.hpp"
#include "play/control.hpp"
#include "play/raising.hpp"
#include "play/reach.hpp"
#include "tidewater/guards.hpp"

namespace tidewater {
namespace {

/// Returns `ask(control, start)` for a playback, or `otherwise` if the playback or its manager is gone.
template <class Value, class Ask>
Value said_of(std::uint64_t manager, StartRef its, Value otherwise, Ask ask) {
  const Reach found(manager);
  if (found.manager() == nullptr) return otherwise;
  const std::lock_guard lock(found.manager()->mutex);
  const LiveStart* start = found.manager()->voices.find(its);
  return start == nullptr ? otherwise : ask(*found.manager(), *start);
}

}  // namespace

bool Playback::ended() const {
  return said_of(manager_, {slot_, id_}, true, [](Control&, const LiveStart&) { return false; });
}

PlaybackState Playback::state() const {
  return said_of(manager_, {slot_, id_}, PlaybackState::over,
                 [](Control& control, const LiveStart& start) { return control.starter.state_of(start); });
}

Seconds Playback::position() const {
  return said_of(manager_, {slot_, id_}, Seconds{},
                 [](Control& control, const LiveStart& start) { return control.voices.position_of(start); });
}

template <class R>
Outcome Playback::ask(R request) const {
  const Reach found(manager_);
  return found.manager() == nullptr ? Outcome::already_ended : tidewater::ask(*found.manager(), request, slot_);
}

Outcome Playback::stop() { return ask(asked::Stop{id_, std::nullopt}); }
Outcome Playback::stop(Seconds fade) { return ask(asked::Stop{id_, fade}); }
Outcome Playback::set_gain(Decibels gain, Seconds time) { return ask(asked::SetGain{id_, gain, time}); }
Outcome Playback::set_pan(Pan pan, Seconds time) { return ask(asked::SetPan{id_, pan, time}); }
Outcome Playback::set_low_pass(Hertz frequency, Seconds time) { return ask(asked::SetLowPass{id_, frequency, time}); }
Outcome Playback::set_high_pass(Hertz frequency, Seconds time) { return ask(asked::SetHighPass{id_, frequency, time}); }
Outcome Playback::bend(Semitones shift, Seconds time) { return ask(asked::Bend{id_, shift, time}); }

// A destructor must not throw: an exception of its last request is dropped.

PlayingWhile::~PlayingWhile() {
  problem_of([&] {
    stop();
    return std::string();
  });
}

Action::~Action() {
  problem_of([&] {
    call_off();
    return std::string();
  });
}

void PlayingWhile::stop() {
  const Raised its = std::exchange(raised_, {});
  if (!plays(its.outcome)) return;  // the handle is of a playback that another raise has started
  for (std::size_t i = 0; i < its.count; ++i)
    if (Playback playback = its.playbacks[i]; !playback.ended()) playback.stop();
}

Action::Action(std::uint64_t manager, Name event, std::span<const Trait> traits, Emitter emitter)
    : manager_(manager), event_(event.text()), emitter_(emitter), under_way_(true) {
  for (const Trait& trait : traits) traits_.emplace_back(trait.name.text(), trait.value.text());
  begun_ = raise(".begun");
}

void Action::swap(Action& other) noexcept {
  std::swap(manager_, other.manager_);
  event_.swap(other.event_);
  traits_.swap(other.traits_);
  std::swap(emitter_, other.emitter_);
  std::swap(under_way_, other.under_way_);
  std::swap(number_, other.number_);
  std::swap(begun_, other.begun_);
}

Raised Action::raise(const char* stage) {
  const Reach found(manager_);
  if (found.manager() == nullptr) return {.outcome = Outcome::already_ended, .playbacks = {}};
  const std::string name = event_ + stage;
  if (!found.manager()->is_known_or_alone(event_, name)) return {.outcome = Outcome::done, .playbacks = {}};
  std::vector<Trait> traits;
  for (const auto& [key, value] : traits_) traits.push_back({Name(key), Name(value)});
  asked::Raise what{.event = Name(name), .emitter = emitter_, .traits = traits, .action = number_};
  const Raised raised = raise_for_game(*found.manager(), what);
  if (number_ == 0) number_ = what.id;
  return raised;
}

Raised Action::end(const char* stage) {
  if (!std::exchange(under_way_, false)) return {.outcome = Outcome::already_ended, .playbacks = {}};
  return raise(stage);
}

Raised Action::complete() { return end(".completed"); }
Raised Action::interrupt() { return end(".interrupted"); }
Raised Action::call_off() { return end(".called-off"); }

}  // namespace tidewater
