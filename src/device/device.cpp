#include "tidewater/device/device.hpp"

#include <SDL.h>
#include <fmt/format.h>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// The sound part of SDL, for as long as somebody needs it.
class SoundSystem {
 public:
  SoundSystem() {
    if (SDL_InitSubSystem(SDL_INIT_AUDIO) != 0)
      throw Error(fmt::format("there is no sound system to play to ({}); is a sound server running?", SDL_GetError()));
  }
  ~SoundSystem() { SDL_QuitSubSystem(SDL_INIT_AUDIO); }
  SoundSystem(const SoundSystem&) = delete;
  SoundSystem& operator=(const SoundSystem&) = delete;
};

void fill(void* manager, Uint8* bytes, int length) {
  const auto samples = static_cast<std::size_t>(length) / sizeof(float);
  static_cast<SoundManager*>(manager)->render({reinterpret_cast<float*>(bytes), samples});
}

}  // namespace

struct Device::State {
  SoundSystem system;
  SDL_AudioDeviceID device = 0;
  SDL_AudioSpec spec{};
  std::string name;

  ~State() {
    if (device != 0) SDL_CloseAudioDevice(device);
  }
};

std::vector<std::string> device_names() {
  const SoundSystem system;
  std::vector<std::string> names;
  for (int i = 0; i < SDL_GetNumAudioDevices(0); ++i)
    if (const char* name = SDL_GetAudioDeviceName(i, 0)) names.emplace_back(name);
  return names;
}

Device::Device(SoundManager& manager, const DeviceOptions& options) : state_(std::make_unique<State>()) {
  SDL_AudioSpec wanted{};
  wanted.freq = static_cast<int>(manager.rate().value);
  wanted.format = AUDIO_F32SYS;
  wanted.channels = static_cast<Uint8>(channels(manager.layout()));
  wanted.samples = static_cast<Uint16>(std::clamp(options.block, 32, 8192));
  wanted.callback = fill;
  wanted.userdata = &manager;
  const char* name = options.name.empty() ? nullptr : options.name.c_str();
  state_->device = SDL_OpenAudioDevice(name, 0, &wanted, &state_->spec, SDL_AUDIO_ALLOW_SAMPLES_CHANGE);
  if (state_->device == 0)
    throw Error(fmt::format("the sound device {} cannot be opened ({}); is one connected, and free?",
                            options.name.empty() ? "that the system prefers" : "'" + options.name + "'", SDL_GetError()));
  state_->name = options.name.empty() ? "preferred device" : options.name;
  SDL_PauseAudioDevice(state_->device, 0);
}

Device::~Device() = default;

int Device::block() const { return state_->spec.samples; }

Seconds Device::latency() const { return {2.0 * state_->spec.samples / state_->spec.freq}; }

std::string Device::description() const {
  return fmt::format("{}, {}, {} Hz, blocks of {} frames", SDL_GetCurrentAudioDriver(), state_->name, state_->spec.freq,
                     state_->spec.samples);
}

}  // namespace tidewater
