#include "tidewater/manager.hpp"

#include <algorithm>

#include "play/hand_on.hpp"
#include "play/manager_state.hpp"

namespace tidewater {
namespace {

using Lock = std::unique_lock<std::mutex>;

/// While something is asked: nobody else asks, and what follows from it reaches the audio thread as a whole.
class Asking {
 public:
  explicit Asking(ManagerState& state) : lock_(state.mutex), state_(state) { state.settle(); }
  ~Asking() { state_.commit(); }
  Asking(const Asking&) = delete;
  Asking& operator=(const Asking&) = delete;

 private:
  Lock lock_;
  ManagerState& state_;
};

Outcome ask(ManagerState& state, const Request& request, std::uint32_t slot = any_slot) {
  const Asking asking(state);
  return state.ask(request, {.slot = slot});
}

/// Of the handle of nothing.
constexpr Outcome over = Outcome::already_ended;

}  // namespace

SoundManager::SoundManager(ManagerOptions options) : state_(std::make_unique<ManagerState>(std::move(options))) {}

SoundManager::~SoundManager() {
  try {
    {
      state_->mixer.end();
      const Asking asking(*state_);
      state_->updates.finish([this](const noted::Updates& run) { state_->note_update(run); });
      state_->notebook.add(state_->now.at, noted::End{});
    }
    hand_on(*state_, {});
  } catch (...) {  // a sink that throws at the very end has nobody to tell
  }
}

void SoundManager::load(const Bank& bank) {
  // What takes long is done, and undone, while others may ask.
  const Lock lock(state_->loading);
  Loading loading;
  loading.prepared = state_->prepare(bank);
  auto loaded = state_->catalogue->banks();
  loaded.push_back(&loading.prepared.front());
  loading.catalogue = std::make_shared<const Catalogue>(std::move(loaded), state_->catalogue->unloaded());
  state_->remember(loading.prepared.front());
  const Asking asking(*state_);
  state_->ask(asked::Load{bank.name()}, {.loading = &loading});
}

bool SoundManager::unload(std::string_view name) {
  const Lock lock(state_->loading);
  Loading loading;
  auto loaded = state_->catalogue->banks();
  const auto found = std::find_if(loaded.begin(), loaded.end(), [&](const LiveBank* bank) { return bank->data->name == name; });
  if (found != loaded.end()) {
    loading.leaving = *found;
    loaded.erase(found);
    state_->leave_behind(*loading.leaving);
    auto unloaded = state_->catalogue->unloaded();
    for (const auto& event : loading.leaving->data->events) unloaded[event.name] = loading.leaving->data->name;
    loading.catalogue = std::make_shared<const Catalogue>(std::move(loaded), std::move(unloaded));
  }
  const Asking asking(*state_);
  return state_->ask(asked::Unload{name}, {.loading = &loading}) == Outcome::done;
}

Raised SoundManager::raise(Name event, std::span<const Trait> traits, std::uint64_t emitter) {
  Raised raised;
  const Asking asking(*state_);
  raised.outcome =
      state_->ask(asked::Raise{.event = event, .emitter = emitter, .traits = traits}, {.into = state_->into_block(), .raised = &raised});
  return raised;
}

void SoundManager::update(Seconds elapsed) {
  std::list<LiveBank> silent;
  {
    const Asking asking(*state_);
    state_->update(elapsed);
    silent = state_->take_silent_banks();
  }
  hand_on(*state_, std::move(silent));
}

Outcome SoundManager::set_gain(Name group, Decibels gain, Seconds time) { return ask(*state_, asked::SetGain{group, gain, time}); }

Outcome SoundManager::set_mute(Name group, bool mute) { return ask(*state_, asked::SetMute{group, mute}); }

Outcome SoundManager::set_low_pass(Name group, Hertz frequency, Seconds time) {
  return ask(*state_, asked::SetLowPass{group, frequency, time});
}

Outcome SoundManager::set_high_pass(Name group, Hertz frequency, Seconds time) {
  return ask(*state_, asked::SetHighPass{group, frequency, time});
}

Outcome SoundManager::stop_all(Seconds fade) { return ask(*state_, asked::StopAll{fade}); }

void SoundManager::note(std::string_view text) {
  const Lock lock(state_->mutex);
  if (state_->notebook.open() && state_->admits(text.size()))
    state_->tell({.code = Reason::Code::text, .name = state_->notebook.keep(text)});
}

Playback SoundManager::find(PlaybackId id) {
  const Lock lock(state_->mutex);
  // A handle of what is over still knows its name, so that its use is noted.
  return {state_.get(), state_->slot_with(id), id};
}

void SoundManager::render(std::span<float> out) noexcept { state_->render(out); }

Frames SoundManager::clock() const { return {state_->mixer.clock()}; }

Layout SoundManager::layout() const { return state_->options.layout; }

Hertz SoundManager::rate() const { return state_->options.rate; }

Stats SoundManager::stats() const {
  const Lock lock(state_->mutex);
  return state_->stats;
}

Meter SoundManager::read_meter(Name group) {
  const Lock lock(state_->mutex);
  const auto index = state_->groups.find(group);
  if (index == Groups::none) return {};
  const GroupMeter meter = state_->mixer.read_meter(index);
  return {decibels(static_cast<double>(meter.peak)), decibels(static_cast<double>(meter.rms))};
}

bool Playback::ended() const {
  if (manager_ == nullptr) return true;
  const Lock lock(manager_->mutex);
  return manager_->find(id_, slot_) == nullptr;
}

Outcome Playback::stop(Seconds fade) { return manager_ == nullptr ? over : ask(*manager_, asked::Stop{id_, fade}, slot_); }

Outcome Playback::set_gain(Decibels gain, Seconds time) {
  return manager_ == nullptr ? over : ask(*manager_, asked::SetGain{id_, gain, time}, slot_);
}

Outcome Playback::set_pan(Pan pan, Seconds time) {
  return manager_ == nullptr ? over : ask(*manager_, asked::SetPan{id_, pan, time}, slot_);
}

Outcome Playback::set_low_pass(Hertz frequency, Seconds time) {
  return manager_ == nullptr ? over : ask(*manager_, asked::SetLowPass{id_, frequency, time}, slot_);
}

Outcome Playback::set_high_pass(Hertz frequency, Seconds time) {
  return manager_ == nullptr ? over : ask(*manager_, asked::SetHighPass{id_, frequency, time}, slot_);
}

Outcome Playback::bend(Semitones shift, Seconds time) {
  return manager_ == nullptr ? over : ask(*manager_, asked::Bend{id_, shift, time}, slot_);
}

}  // namespace tidewater
