#include <sndfile.h>

#include <catch2/catch.hpp>
#include <cmath>

#include "audio_thread.hpp"
#include "bank/bank_data.hpp"
#include "media/decode.hpp"
#include "stage.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

struct Format {
  const char* ending;
  int format;
  bool sixteen_bits;
  double margin;  ///< of the level: lossy ones are not exact
};

const Format formats[] = {
    {"wav", SF_FORMAT_WAV | SF_FORMAT_PCM_U8, true, 0.01},           {"wav", SF_FORMAT_WAV | SF_FORMAT_PCM_16, true, 1e-4},
    {"wav", SF_FORMAT_WAV | SF_FORMAT_PCM_24, false, 1e-4},          {"wav", SF_FORMAT_WAV | SF_FORMAT_PCM_32, false, 1e-4},
    {"wav", SF_FORMAT_WAV | SF_FORMAT_FLOAT, false, 1e-4},           {"wav", SF_FORMAT_WAV | SF_FORMAT_DOUBLE, false, 1e-4},
    {"flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_16, true, 1e-4},         {"flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_24, false, 1e-4},
    {"ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS, false, 0.02},          {"opus", SF_FORMAT_OGG | SF_FORMAT_OPUS, false, 0.02},
    {"mp3", SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III, false, 0.02}, {"voc", SF_FORMAT_VOC | SF_FORMAT_PCM_16, true, 1e-4},
    {"aiff", SF_FORMAT_AIFF | SF_FORMAT_PCM_16, true, 1e-4},         {"aiff", SF_FORMAT_AIFF | SF_FORMAT_FLOAT, false, 1e-4},
    {"caf", SF_FORMAT_CAF | SF_FORMAT_PCM_24, false, 1e-4},
};

void write(const Folder& folder, const std::string& name, int format, const std::vector<float>& samples, int rate = 48000) {
  SF_INFO info{};
  info.samplerate = rate;
  info.channels = 1;
  info.format = format;
  std::filesystem::create_directories(folder.path("clips"));
  SNDFILE* file = sf_open(folder.path("clips/" + name).c_str(), SFM_WRITE, &info);
  INFO(name << ": " << sf_strerror(nullptr));
  REQUIRE(file != nullptr);
  sf_write_float(file, samples.data(), static_cast<sf_count_t>(samples.size()));
  sf_close(file);
}

}  // namespace

TEST_CASE("every format that is promised is heard at its pitch and level") {
  for (const Format& format : formats) {
    const Folder folder;
    const std::string name = std::string("tone.") + format.ending;
    INFO(name << ", format " << std::hex << format.format);
    write(folder, name, format.format, sine(1000, 0.6, 1, 0.5));
    CHECK(decode_file(folder.path("clips/" + name)).sixteen_bits == format.sixteen_bits);
    const Take take = heard_clip(folder, name).part(0.1, 0.4);
    CHECK(take.pitch() == Approx(1000).epsilon(1e-3));
    CHECK(take.rms() == Approx(0.25).epsilon(format.margin + 0.002));
  }
}

TEST_CASE("a clip of one frame is a click of one frame, also as a loop") {
  const Folder folder;
  folder.write_clip("clips/one.wav", {0.5F});
  const Take take = heard_clip(folder, "one.wav");
  CHECK(take.left(0) == Approx(0.5 * 0.7071).epsilon(0.001));
  CHECK(take.part(0.001, 0.5).peak() == 0);
  folder.write("book.toml", book_head + "[sounds.a]\nclips=[\"one.wav\"]\nloop=true\npitch=\"3 st\"\n[events.a]\nstart=\"a\"\n");
  SoundManager manager;
  manager.load(compile_book(folder.path("book.toml")));
  manager.raise("a");
  std::vector<float> out(9600);
  render_guarded(manager, out);
  CHECK(out[9000] == Approx(0.5 * 0.7071).epsilon(0.001));
}

TEST_CASE("a file cut off in the middle plays as far as it goes, or is told") {
  for (const auto* name : {"cut.wav", "cut.flac", "cut.ogg", "cut.mp3"}) {
    const Folder folder;
    const std::string ending = std::string(name).substr(4);
    for (const Format& format : formats)
      if (ending == format.ending) write(folder, name, format.format, sine(1000, 2, 1, 0.5));
    const std::string whole = folder.read(std::string("clips/") + name);
    for (const double part : {0.01, 0.3, 0.9}) {
      folder.write(std::string("clips/") + name, whole.substr(0, static_cast<std::size_t>(part * static_cast<double>(whole.size()))));
      INFO(name << " cut at " << part);
      try {
        const Take take = heard_clip(folder, name);
        CHECK(take.peak() < 0.6);
      } catch (const Error& error) {
        CHECK_THAT(error.what(), Contains(name));
      }
    }
  }
}

TEST_CASE("two Ogg files in a row play as far as they can be read, without a burst of noise") {
  const Folder folder;
  write(folder, "a.ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS, sine(1000, 0.5, 1, 0.5));
  write(folder, "b.ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS, sine(300, 0.5, 1, 0.5), 44100);
  folder.write("clips/chain.ogg", folder.read("clips/a.ogg") + folder.read("clips/b.ogg"));
  const Take take = heard_clip(folder, "chain.ogg");
  CHECK(take.part(0.1, 0.3).pitch() == Approx(1000).epsilon(1e-3));
  CHECK(take.peak() < 0.5);
  CHECK(take.steepest() < 0.1);
}

TEST_CASE("a rate that no clip has is refused, with the rates that may be") {
  const Folder folder;
  write(folder, "fast.wav", SF_FORMAT_WAV | SF_FORMAT_PCM_16, sine(1000, 0.1), 10'000'000);
  CHECK_THROWS_WITH(heard_clip(folder, "fast.wav"), Contains("its rate of 10000000 Hz is outside 1000 Hz to 768000 Hz"));
}
