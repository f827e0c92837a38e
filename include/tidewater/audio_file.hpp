#pragma once
/// Writes what was rendered to a sound file.
///
///     AudioFileWriter file("out/take.wav", 48000_Hz, 2);
///     file.write(block);
///     file.close();

#include <cstdint>
#include <memory>
#include <span>
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

enum class SampleFormat { float_32, pcm_16 };

/// The container follows the file's ending: .wav, .flac, .ogg or .aiff.
/// Everything is written beside the file and takes its name at `close`, so that a file is there whole or not at all, and what
/// was there before stays until then. A WAV file that passes 4 GiB becomes RF64 (EBU Tech 3306).
class AudioFileWriter {
 public:
  /// Throws Error where the file cannot be made.
  AudioFileWriter(std::string path, Hertz rate, int channels, SampleFormat format = SampleFormat::float_32);
  /// Without a `close` before it, the file is given up.
  ~AudioFileWriter();
  AudioFileWriter(AudioFileWriter&&) noexcept;
  AudioFileWriter& operator=(AudioFileWriter&&) noexcept;

  /// Interleaved samples; full scale is 1, and what lies beyond is clipped where the format has no room for it.
  /// Throws Error where the disk is full.
  void write(std::span<const float> samples);
  /// A remark in the file, where its format has room for one; before the first samples.
  void comment(const std::string& text);
  /// Throws Error where it cannot be finished; then what was there before is left as it was.
  void close();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater
