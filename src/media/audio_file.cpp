#include "tidewater/audio_file.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <array>
#include <filesystem>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

struct Container {
  std::string_view ending;
  int integers;  // for 16 bits
  int floats;    // for 32-bit floating point, or the nearest that the container has
};
constexpr std::array containers = {
    Container{".wav", SF_FORMAT_WAV | SF_FORMAT_PCM_16, SF_FORMAT_WAV | SF_FORMAT_FLOAT},
    Container{".flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_16, SF_FORMAT_FLAC | SF_FORMAT_PCM_24},
    Container{".ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS, SF_FORMAT_OGG | SF_FORMAT_VORBIS},
    Container{".aiff", SF_FORMAT_AIFF | SF_FORMAT_PCM_16, SF_FORMAT_AIFF | SF_FORMAT_FLOAT},
};

int format_for(const std::string& path, SampleFormat format) {
  const std::string ending = fs::path(path).extension().string();
  for (const auto& container : containers)
    if (container.ending == ending) return format == SampleFormat::pcm_16 ? container.integers : container.floats;
  throw Error(fmt::format("{}: cannot tell the format from the ending '{}'; use .wav, .flac, .ogg or .aiff", path, ending));
}

}  // namespace

struct AudioFileWriter::State {
  std::string path;
  std::string unfinished;
  SNDFILE* file = nullptr;
  int channels = 1;

  ~State() {
    if (file == nullptr) return;
    sf_close(file);
    std::error_code ignored;
    fs::remove(unfinished, ignored);
  }
};

AudioFileWriter::AudioFileWriter(std::string path, Hertz rate, int channels, SampleFormat format) : state_(std::make_unique<State>()) {
  if (!(rate >= Hertz{1} && rate <= Hertz{1e6}) || channels < 1)
    throw Error(fmt::format("{}: cannot be made with {} channels at {} Hz", path, channels, rate.value));
  SF_INFO info{};
  info.samplerate = static_cast<int>(rate.value);
  info.channels = channels;
  info.format = format_for(path, format);
  state_->channels = channels;
  state_->unfinished = path + ".part";
  state_->path = std::move(path);
  state_->file = sf_open(state_->unfinished.c_str(), SFM_WRITE, &info);
  if (state_->file == nullptr)
    throw Error(
        fmt::format("{}: cannot be written ({}); is there such a folder, and may you write to it?", state_->path, sf_strerror(nullptr)));
  sf_command(state_->file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
  // Time stamps in the file would make equal renderings differ.
  sf_command(state_->file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
}

AudioFileWriter::~AudioFileWriter() = default;
AudioFileWriter::AudioFileWriter(AudioFileWriter&&) noexcept = default;
AudioFileWriter& AudioFileWriter::operator=(AudioFileWriter&&) noexcept = default;

void AudioFileWriter::write(std::span<const float> samples) {
  // libsndfile 1.2 writes past its memory where an Ogg encoder is given very much at once.
  const std::size_t piece = 4096 * static_cast<std::size_t>(state_->channels);
  for (; !samples.empty(); samples = samples.subspan(std::min(piece, samples.size()))) {
    const auto count = static_cast<sf_count_t>(std::min(piece, samples.size()));
    if (sf_write_float(state_->file, samples.data(), count) == count) continue;
    throw Error(fmt::format("{}: could not be written to the end ({}); is the disk full?", state_->path, sf_strerror(state_->file)));
  }
}

void AudioFileWriter::close() {
  const int failed = sf_close(state_->file);
  state_->file = nullptr;
  std::error_code error;
  if (failed == 0) fs::rename(state_->unfinished, state_->path, error);
  if (failed != 0 || error)
    throw Error(fmt::format("{}: could not be finished ({}); is the disk full?", state_->path,
                            failed != 0 ? sf_error_number(failed) : error.message()));
}

}  // namespace tidewater
