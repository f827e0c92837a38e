#include "author/clips/music_formats.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <array>
#include <filesystem>

#include "tidewater/author/components.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

template <std::size_t n>
bool is_one_of(std::string ending, const std::array<std::string_view, n>& endings) {
  for (char& letter : ending)
    if (letter >= 'A' && letter <= 'Z') letter = static_cast<char>(letter - 'A' + 'a');
  return std::find(endings.begin(), endings.end(), ending) != endings.end();
}

constexpr std::array<std::string_view, 4> module_endings = {".mod", ".xm", ".it", ".s3m"};
constexpr std::array<std::string_view, 2> midi_endings = {".mid", ".midi"};

}  // namespace

Audio decode_clip(const std::string& path, [[maybe_unused]] const std::string& soundfont) {
  const std::string ending = std::filesystem::path(path).extension().string();
  if (is_one_of(ending, module_endings)) {
#ifdef TIDEWATER_MODULES
    return render_module(path);
#else
    throw Error("this build cannot play tracker modules; install libopenmpt-dev and build again");
#endif
  }
  if (is_one_of(ending, midi_endings)) {
#ifdef TIDEWATER_MIDI
    if (soundfont.empty()) throw Error("a MIDI file has notes but no instruments; set soundfont = \"file.sf2\" in [book]");
    return render_midi(path, soundfont);
#else
    throw Error("this build cannot play MIDI; install libfluidsynth-dev and build again");
#endif
  }
  return decode_file(path);
}

bool is_music_as_notes(const std::string& path) {
  const std::string ending = std::filesystem::path(path).extension().string();
  return is_one_of(ending, module_endings) || is_one_of(ending, midi_endings);
}

bool is_clip_name(const std::string& path) {
  constexpr std::array<std::string_view, 9> sampled = {".wav", ".flac", ".ogg", ".opus", ".mp3", ".voc", ".aiff", ".aif", ".caf"};
  const std::string ending = std::filesystem::path(path).extension().string();
  return is_one_of(ending, sampled) || is_music_as_notes(path);
}

std::vector<Component> components() {
  std::string sound_files = sf_version_string();
  std::replace(sound_files.begin(), sound_files.end(), '-', ' ');
  return {
      {"audio files", sound_files, ""},
#ifdef TIDEWATER_MODULES
      {"tracker modules", openmpt_version(), ""},
#else
      {"tracker modules", "", "install libopenmpt-dev and build again"},
#endif
#ifdef TIDEWATER_MIDI
      {"MIDI", fluidsynth_version(), ""},
#else
      {"MIDI", "", "install libfluidsynth-dev and build again"},
#endif
  };
}

}  // namespace tidewater
