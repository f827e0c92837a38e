#pragma once
/// Music that is written as notes: tracker modules (MOD, XM, IT, S3M) through libopenmpt and MIDI through FluidSynth,
/// where the build has them. Rendered once, while compiling; what a game loads is samples.

#include <string>

#include "media/decode.hpp"

namespace tidewater {

/// What a book's clips are made from: an audio file, or notes that are rendered at 48 kHz.
/// Throws Error as `decode_file` does, and where this build lacks the format or there is no SoundFont for MIDI.
Audio decode_clip(const std::string& path, const std::string& soundfont);

/// Whether a file's ending is that of a clip, in whatever case.
bool is_clip_name(const std::string& path);
/// Whether a file's ending is that of a tracker module or of MIDI.
bool is_music_as_notes(const std::string& path);

// Each throws Error. They are missing where the build has no such library.
Audio render_module(const std::string& path);
Audio render_midi(const std::string& path, const std::string& soundfont);
std::string openmpt_version();
std::string fluidsynth_version();

}  // namespace tidewater
