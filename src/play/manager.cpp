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

}  // namespace

SoundManager::SoundManager(ManagerOptions options) : state_(std::make_unique<ManagerState>(std::move(options))) {}

SoundManager::~SoundManager() {
  try {
    {
      state_->mixer.end();
      const Asking asking(*state_);
      state_->updates.finish([this](const UpdateRun& run) { state_->note_update(run); });
      if (Note* end = state_->note(JournalEntry::Kind::end)) end->what = HeadNote{};
    }
    hand_on(*state_, {});
  } catch (...) {  // a sink that throws at the very end has nobody to tell
  }
}

void SoundManager::load(const Bank& bank) {
  // What takes long is done, and undone, while others may ask.
  const Lock loading(state_->loading);
  std::list<LiveBank> prepared = state_->prepare(bank);
  auto loaded = state_->catalogue->banks();
  loaded.push_back(&prepared.front());
  std::shared_ptr<const Catalogue> catalogue = std::make_shared<const Catalogue>(std::move(loaded), state_->catalogue->unloaded());
  state_->remember(prepared.front());
  const Asking asking(*state_);
  state_->load(std::move(prepared), catalogue);
}

bool SoundManager::unload(std::string_view name) {
  const Lock loading(state_->loading);
  auto loaded = state_->catalogue->banks();
  const auto found = std::find_if(loaded.begin(), loaded.end(), [&](const LiveBank* bank) { return bank->data->name == name; });
  LiveBank* bank = found == loaded.end() ? nullptr : *found;
  std::shared_ptr<const Catalogue> without;
  if (bank != nullptr) {
    loaded.erase(found);
    state_->leave_behind(*bank);
    auto unloaded = state_->catalogue->unloaded();
    for (const auto& event : bank->data->events) unloaded[event.name] = bank->data->name;
    without = std::make_shared<const Catalogue>(std::move(loaded), std::move(unloaded));
  }
  const Asking asking(*state_);
  return state_->unload(bank, name, without);
}

Raised SoundManager::raise(Name event, std::span<const Trait> traits, std::uint64_t emitter) {
  const Asking asking(*state_);
  return state_->raise({event, traits, emitter, state_->into_block()});
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

Outcome SoundManager::set_gain(Name group, Decibels gain, Seconds time) {
  const Asking asking(*state_);
  return state_->set_gain(group, gain, time);
}

Outcome SoundManager::set_mute(Name group, bool mute) {
  const Asking asking(*state_);
  return state_->set_mute(group, mute);
}

Outcome SoundManager::set_low_pass(Name group, Hertz frequency, Seconds time) {
  const Asking asking(*state_);
  return state_->set_filter(group, StateFilter::Kind::low_pass, frequency, time);
}

Outcome SoundManager::set_high_pass(Name group, Hertz frequency, Seconds time) {
  const Asking asking(*state_);
  return state_->set_filter(group, StateFilter::Kind::high_pass, frequency, time);
}

void SoundManager::note(std::string_view text) {
  const Lock lock(state_->mutex);
  if (!state_->has_room(text.size())) return;
  if (state_->options.journal) state_->tell({.why = {.code = Reason::Code::text, .name = state_->notebook.keep(text)}});
}

void SoundManager::stop_all(Seconds fade) {
  const Asking asking(*state_);
  state_->stop_all(fade);
}

Playback SoundManager::find(PlaybackId id) {
  const Lock lock(state_->mutex);
  return state_->find(id);
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
  return manager_->find(*this) == nullptr;
}

Outcome Playback::stop(Seconds fade) {
  if (manager_ == nullptr) return Outcome::already_ended;
  const Asking asking(*manager_);
  return manager_->stop(*this, fade);
}

Outcome Playback::set_gain(Decibels gain, Seconds time) {
  if (manager_ == nullptr) return Outcome::already_ended;
  const Asking asking(*manager_);
  return manager_->set_gain(*this, gain, time);
}

Outcome Playback::set_pan(Pan pan, Seconds time) {
  if (manager_ == nullptr) return Outcome::already_ended;
  const Asking asking(*manager_);
  return manager_->set_pan(*this, pan, time);
}

Outcome Playback::set_low_pass(Hertz frequency, Seconds time) {
  if (manager_ == nullptr) return Outcome::already_ended;
  const Asking asking(*manager_);
  return manager_->set_filter(*this, StateFilter::Kind::low_pass, frequency, time);
}

Outcome Playback::set_high_pass(Hertz frequency, Seconds time) {
  if (manager_ == nullptr) return Outcome::already_ended;
  const Asking asking(*manager_);
  return manager_->set_filter(*this, StateFilter::Kind::high_pass, frequency, time);
}

Outcome Playback::bend(Semitones shift, Seconds time) {
  if (manager_ == nullptr) return Outcome::already_ended;
  const Asking asking(*manager_);
  return manager_->bend(*this, shift, time);
}

}  // namespace tidewater
