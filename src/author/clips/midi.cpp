#include <fluidsynth.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <memory>

#include "author/clips/music_formats.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

template <auto free>
struct Free {
  template <class T>
  void operator()(T* thing) const {
    free(thing);
  }
};
template <class T, auto free>
using Owned = std::unique_ptr<T, Free<free>>;

constexpr double rendered_at = 48000;
constexpr std::size_t piece = 512;
constexpr std::size_t most_tail = 4 * 48000;  // frames that the last notes may ring on
constexpr float silent = 1e-4F;               // -80 dB

}  // namespace

std::string fluidsynth_version() { return fmt::format("FluidSynth {}", fluid_version_str()); }

Audio render_midi(const std::string& path, const std::string& soundfont) {
  if (!std::filesystem::is_regular_file(path) || fluid_is_midifile(path.c_str()) == 0) throw Error("it cannot be read as MIDI");
  if (!std::filesystem::is_regular_file(soundfont) || fluid_is_soundfont(soundfont.c_str()) == 0)
    throw Error(fmt::format("its SoundFont '{}' is not there, or is none; see soundfont in [book]", soundfont));
  for (int level = 0; level < LAST_LOG_LEVEL; ++level) fluid_set_log_function(level, nullptr, nullptr);

  const Owned<fluid_settings_t, delete_fluid_settings> settings(new_fluid_settings());
  fluid_settings_setnum(settings.get(), "synth.sample-rate", rendered_at);
  fluid_settings_setnum(settings.get(), "synth.gain", 0.5);
  fluid_settings_setint(settings.get(), "synth.lock-memory", 0);
  // Time goes on as samples are asked for, so that the same file always gives the same samples.
  fluid_settings_setstr(settings.get(), "player.timing-source", "sample");
  const Owned<fluid_synth_t, delete_fluid_synth> synth(new_fluid_synth(settings.get()));
  if (!synth || fluid_synth_sfload(synth.get(), soundfont.c_str(), 1) == FLUID_FAILED)
    throw Error(fmt::format("its SoundFont '{}' cannot be loaded", soundfont));
  const Owned<fluid_player_t, delete_fluid_player> player(new_fluid_player(synth.get()));
  if (!player || fluid_player_add(player.get(), path.c_str()) != FLUID_OK || fluid_player_play(player.get()) != FLUID_OK)
    throw Error("it cannot be played as MIDI");

  Audio audio{.channels = 2, .rate = Hertz{rendered_at}, .samples = {}, .rendered = true};
  const auto most = static_cast<std::size_t>(frames(longest_clip, audio.rate).value) * 2;
  std::size_t tail = 0;
  bool heard = false;
  for (float loudest = 1; tail < most_tail && (tail == 0 || loudest > silent);) {
    const std::size_t at = audio.samples.size();
    audio.samples.resize(at + 2 * piece);
    float* out = audio.samples.data() + at;
    if (fluid_synth_write_float(synth.get(), piece, out, 0, 2, out, 1, 2) != FLUID_OK) throw Error("it cannot be rendered");
    loudest = 0;
    for (std::size_t i = 0; i < 2 * piece; ++i) loudest = std::max(loudest, std::abs(out[i]));
    heard = heard || loudest > silent;
    if (fluid_player_get_status(player.get()) != FLUID_PLAYER_PLAYING) tail += piece;
    if (audio.samples.size() > most) throw Error(fmt::format("it plays longer than {} minutes", longest_clip.value / 60));
  }
  if (!heard) throw Error("it plays nothing with this SoundFont");
  return audio;
}

}  // namespace tidewater
