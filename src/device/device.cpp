#include "tidewater/device/device.hpp"

#include <SDL.h>
#include <dlfcn.h>
#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <future>
#include <mutex>
#include <optional>
#include <span>
#include <thread>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

/// While it lives, ALSA writes nothing to the terminal: what went wrong is told by whoever opens, in words of its own.
class WithoutNoise {
 public:
  WithoutNoise() { set(silent); }
  ~WithoutNoise() { set(nullptr); }
  WithoutNoise(const WithoutNoise&) = delete;
  WithoutNoise& operator=(const WithoutNoise&) = delete;

 private:
  using Handler = void (*)(const char* file, int line, const char* function, int error, const char* format, ...);
  static void silent(const char*, int, const char*, int, const char*, ...) {}  // NOLINT(cert-dcl50-cpp): as ALSA wants it
  /// SDL may have come with ALSA or without.
  static void set(Handler handler) {
    if (void* found = dlsym(RTLD_DEFAULT, "snd_lib_error_set_handler"); found != nullptr)
      reinterpret_cast<int (*)(Handler)>(found)(handler);
  }
};

/// The sound part of SDL, for as long as somebody needs it.
class SoundSystem {
 public:
  SoundSystem() {
    const WithoutNoise quiet;
    // Otherwise SDL takes SIGINT and SIGTERM for events that nobody reads, and the game cannot be ended by them.
    if (SDL_WasInit(SDL_INIT_EVENTS) == 0) SDL_SetHint(SDL_HINT_NO_SIGNAL_HANDLERS, "1");
    if (SDL_InitSubSystem(SDL_INIT_AUDIO) != 0)
      throw Error(fmt::format("there is no sound system to play to ({}); is a sound server running?", SDL_GetError()));
  }
  ~SoundSystem() { SDL_QuitSubSystem(SDL_INIT_AUDIO); }
  SoundSystem(const SoundSystem&) = delete;
  SoundSystem& operator=(const SoundSystem&) = delete;
};

/// Blocks until a device that was opened asks at an even pace: first it fills its own buffers.
constexpr int settles_after = 8;

/// What the sound system's thread renders with.
struct Filler {
  using Clock = std::chrono::steady_clock;

  SoundManager& manager;
  /// Asked for later than this after the last time, the sound system's own buffer has run dry.
  Clock::duration longest_pause{};
  Clock::time_point last{};
  int settling = settles_after;
  std::atomic<std::uint64_t> late{0};

  void fill(std::span<float> samples) {
    const auto now = Clock::now();
    if (settling > 0)
      --settling;
    else if (now - last > longest_pause)
      late.fetch_add(1, std::memory_order_relaxed);
    last = now;
    manager.render(samples);
  }
};

void fill(void* filler, Uint8* bytes, int length) {
  const auto samples = static_cast<std::size_t>(length) / sizeof(float);
  static_cast<Filler*>(filler)->fill({reinterpret_cast<float*>(bytes), samples});
}

/// One block is being played and one is ready: who asks more than two blocks' time after the last has had a gap.
constexpr double blocks_ahead = 2;

int block_of(const DeviceOptions& options) { return std::clamp(options.block, 32, 8192); }

/// What a device says of itself.
struct Facts {
  int frames = 0;  ///< of a block
  int rate = 0;
  std::string system = "no device";
};

/// A device of the sound system that is playing, or none.
class Opened {
 public:
  Opened() = default;
  ~Opened() { close(); }
  Opened(const Opened&) = delete;
  Opened& operator=(const Opened&) = delete;

  /// What went wrong, or empty. It is silent until `play`.
  std::string open(Filler& filler, const DeviceOptions& options, Facts& facts) {
    const SoundManager& manager = filler.manager;
    SDL_AudioSpec wanted{};
    wanted.freq = static_cast<int>(manager.rate().value);
    wanted.format = AUDIO_F32SYS;
    wanted.channels = static_cast<Uint8>(channels(manager.layout()));
    wanted.samples = static_cast<Uint16>(block_of(options));
    wanted.callback = fill;
    wanted.userdata = &filler;
    const char* name = options.name.empty() ? nullptr : options.name.c_str();
    SDL_AudioSpec got{};
    const WithoutNoise quiet;
    device_ = SDL_OpenAudioDevice(name, 0, &wanted, &got, SDL_AUDIO_ALLOW_SAMPLES_CHANGE);
    if (device_ == 0) return SDL_GetError();
    facts = {got.samples, got.freq, SDL_GetCurrentAudioDriver()};
    filler.settling = settles_after;
    filler.longest_pause =
        std::chrono::duration_cast<Filler::Clock::duration>(std::chrono::duration<double>(blocks_ahead * got.samples / got.freq));
    return {};
  }

  /// From here on the sound system's thread renders.
  void play() { SDL_PauseAudioDevice(device_, 0); }

  void close() {
    if (device_ != 0) SDL_CloseAudioDevice(device_);
    device_ = 0;
  }

  bool gone() const { return device_ != 0 && SDL_GetAudioDeviceStatus(device_) == SDL_AUDIO_STOPPED; }

 private:
  SDL_AudioDeviceID device_ = 0;
};

}  // namespace

/// Opens, watches and opens again. The watcher's thread renders while there is no device; never both at once.
struct Device::State {
  State(SoundManager& its_manager, const DeviceOptions& its_options)
      : manager(its_manager),
        filler{its_manager},
        options(its_options),
        known{block_of(its_options), static_cast<int>(its_manager.rate().value)} {
    try {
      open();
    } catch (const Error& error) {
      if (options.required) throw;
      missing(fmt::format("{} Sounds go on unheard until there is one", error.what()));
    }
    watcher = std::thread([this] { watch(); });
  }

  ~State() {
    quit = true;
    watcher.join();
    opened.close();
  }

  State(const State&) = delete;
  State& operator=(const State&) = delete;

  void open() {
    system.emplace();
    Facts found;
    if (const std::string problem = opened.open(filler, options, found); !problem.empty())
      throw Error(fmt::format("the sound device {} cannot be opened ({}); is one connected, and free?",
                              options.name.empty() ? "that the system prefers" : "'" + options.name + "'", problem));
    know(found);
    opened.play();
  }

  /// The game may ask for them while another thread opens a device again.
  Facts facts() const {
    const std::lock_guard lock(mutex);
    return known;
  }
  void know(const Facts& found) {
    const std::lock_guard lock(mutex);
    known = found;
  }

  void missing(const std::string& why) {
    connected = false;
    opened.close();
    system.reset();
    manager.note(why);
  }

  void watch() {
    if (!connected) play_unheard();
    constexpr auto glance = std::chrono::milliseconds(50);
    while (!quit) {
      std::this_thread::sleep_for(glance);
      tell_of_gaps();
      if (!opened.gone()) continue;
      missing("the sound device is gone; sounds go on unheard until it is back");
      play_unheard();
    }
  }

  /// One line for the gaps of a while, not one for each.
  void tell_of_gaps() {
    const auto now = Filler::Clock::now();
    const std::uint64_t late = filler.late;
    if (late == told_late || now < next_telling) return;
    manager.note(
        fmt::format("the sound device's buffer ran dry {}: the machine was busy elsewhere; blocks of more than {} frames stand more",
                    late - told_late == 1 ? "once" : fmt::format("{} times", late - told_late), facts().frames));
    told_late = late;
    next_telling = now + std::chrono::seconds(5);
  }

  /// Renders at the pace of the wall clock, and tries for a device now and then: on another thread, for that can take
  /// seconds.
  void play_unheard() {
    using Clock = std::chrono::steady_clock;
    constexpr auto patience = std::chrono::milliseconds(500);
    const Facts last = facts();
    std::vector<float> block(static_cast<std::size_t>(last.frames * channels(manager.layout())));
    const auto length =
        std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(static_cast<double>(last.frames) / last.rate));
    std::future<bool> attempt;
    auto next = Clock::now();
    auto next_try = next;
    while (!quit) {
      manager.render(block);
      next += length;
      std::this_thread::sleep_until(next);
      if (!attempt.valid() && Clock::now() >= next_try) attempt = std::async(std::launch::async, [this] { return reopen(); });
      if (!attempt.valid() || attempt.wait_for(std::chrono::seconds(0)) != std::future_status::ready) continue;
      if (attempt.get()) {
        opened.play();
        connected = true;
        manager.note("the sound device is back");
        return;
      }
      next_try = Clock::now() + patience;
    }
  }

  bool reopen() {
    try {
      system.emplace();
    } catch (const Error&) {
      return false;  // no sound server yet
    }
    Facts found;
    if (!opened.open(filler, options, found).empty()) {
      system.reset();
      return false;
    }
    know(found);
    return true;
  }

  SoundManager& manager;
  Filler filler;
  DeviceOptions options;
  std::optional<SoundSystem> system;
  Opened opened;
  mutable std::mutex mutex;
  Facts known;  ///< of the device, or of the last there was
  std::atomic<bool> connected{true};
  std::atomic<bool> quit{false};
  std::uint64_t told_late = 0;
  Filler::Clock::time_point next_telling{};
  std::thread watcher;
};

std::vector<std::string> device_names() {
  const SoundSystem system;
  std::vector<std::string> names;
  for (int i = 0; i < SDL_GetNumAudioDevices(0); ++i)
    if (const char* name = SDL_GetAudioDeviceName(i, 0)) names.emplace_back(name);
  return names;
}

Device::Device(SoundManager& manager, const DeviceOptions& options) : state_(std::make_unique<State>(manager, options)) {}

Device::~Device() = default;

int Device::block() const { return state_->facts().frames; }

Seconds Device::latency() const {
  const Facts facts = state_->facts();
  return {2.0 * facts.frames / facts.rate};
}

std::uint64_t Device::gaps() const { return state_->filler.late; }

bool Device::connected() const { return state_->connected; }

std::string Device::description() const {
  const Facts facts = state_->facts();
  return fmt::format("{}, {}, {} Hz, blocks of {} frames", facts.system,
                     state_->options.name.empty() ? "preferred device" : state_->options.name, facts.rate, facts.frames);
}

}  // namespace tidewater
