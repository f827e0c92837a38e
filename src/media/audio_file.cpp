#include "tidewater/audio_file.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <vector>

#include "base/fail.hpp"
#include "base/whole_file.hpp"
#include "media/largest_wav.hpp"

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
  fail(fmt::format("{}: cannot tell the format from the ending '{}'; use .wav, .flac, .ogg or .aiff", path, ending));
}

/// libsndfile's FLAC encoder knows an error without words, of which it complains on stderr.
std::string trouble_of(SNDFILE* file) { return sf_error(file) > 0 ? sf_strerror(file) : std::strerror(errno); }

std::uint64_t bytes_of_sample(int format) {
  switch (format & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_16: return 2;
    default: return 4;
  }
}

}  // namespace

std::uint64_t largest_wav = 0xFFFF'0000U;

struct AudioFileWriter::State {
  std::string path;
  SF_INFO info{};
  std::unique_ptr<WholeFile> whole;
  SNDFILE* file = nullptr;
  std::uint64_t bytes = 0;  ///< of samples

  ~State() {
    if (file != nullptr) sf_close(file);
  }

  void open() {
    whole = std::make_unique<WholeFile>(path);
    file = sf_open(whole->unfinished().c_str(), SFM_WRITE, &info);
    if (file == nullptr && sf_error(nullptr) == SF_ERR_SYSTEM) whole->failed(std::strerror(errno));
    if (file == nullptr) fail(fmt::format("{}: cannot be written ({})", path, sf_strerror(nullptr)));
    sf_command(file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
    // Time stamps in the file would make equal renderings differ.
    sf_command(file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
  }

  void finish() {
    const std::string trouble = sf_error(file) == SF_ERR_NO_ERROR ? "" : trouble_of(file);
    errno = 0;
    const int failed = sf_close(file);
    file = nullptr;
    if (!trouble.empty() || failed != 0)
      whole->failed(!trouble.empty() ? trouble : errno != 0 ? std::strerror(errno) : "its end is missing");
  }

  /// A WAV file's sizes have 32 bits. What becomes larger goes on as RF64 (EBU Tech 3306); what does not stays what every
  /// reader knows.
  void go_on_as_rf64() {
    finish();
    const std::unique_ptr<WholeFile> before = std::move(whole);
    info.format = (info.format & ~SF_FORMAT_TYPEMASK) | SF_FORMAT_RF64;
    open();
    SF_INFO read{};
    const std::unique_ptr<SNDFILE, int (*)(SNDFILE*)> old(sf_open(before->unfinished().c_str(), SFM_READ, &read), sf_close);
    if (!old) whole->failed(sf_strerror(nullptr));
    std::vector<char> piece(static_cast<std::size_t>(info.channels) * 4 * 65536);
    for (sf_count_t got = 0; (got = sf_read_raw(old.get(), piece.data(), static_cast<sf_count_t>(piece.size()))) > 0;)
      if (sf_write_raw(file, piece.data(), got) != got) whole->failed(trouble_of(file));
  }
};

AudioFileWriter::AudioFileWriter(std::string path, Hertz rate, int channels, SampleFormat format) : state_(std::make_unique<State>()) {
  if (!(rate >= Hertz{1} && rate <= Hertz{1e6}) || channels < 1)
    fail(fmt::format("{}: cannot be made with {} channels at {} Hz", path, channels, rate.value));
  state_->info.samplerate = static_cast<int>(rate.value);
  state_->info.channels = channels;
  state_->info.format = format_for(path, format);
  state_->path = std::move(path);
  state_->open();
}

AudioFileWriter::~AudioFileWriter() = default;
AudioFileWriter::AudioFileWriter(AudioFileWriter&&) noexcept = default;
AudioFileWriter& AudioFileWriter::operator=(AudioFileWriter&&) noexcept = default;

void AudioFileWriter::comment(const std::string& text) { sf_set_string(state_->file, SF_STR_COMMENT, text.c_str()); }

void AudioFileWriter::write(std::span<const float> samples) {
  // libsndfile 1.2 writes past its memory where an Ogg encoder is given very much at once.
  const std::size_t piece = 4096 * static_cast<std::size_t>(state_->info.channels);
  for (; !samples.empty(); samples = samples.subspan(std::min(piece, samples.size()))) {
    const std::size_t count = std::min(piece, samples.size());
    state_->bytes += count * bytes_of_sample(state_->info.format);
    if (state_->bytes > largest_wav && (state_->info.format & SF_FORMAT_TYPEMASK) == SF_FORMAT_WAV) state_->go_on_as_rf64();
    if (sf_write_float(state_->file, samples.data(), static_cast<sf_count_t>(count)) != static_cast<sf_count_t>(count))
      state_->whole->failed(trouble_of(state_->file));
  }
}

void AudioFileWriter::close() {
  state_->finish();
  state_->whole->commit();
}

}  // namespace tidewater
