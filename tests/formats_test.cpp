#include <fcntl.h>
#include <sndfile.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <cmath>

#include "audio_thread.hpp"
#include "bank/bank_data.hpp"
#include "base/random.hpp"
#include "media/clip_reader.hpp"
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

TEST_CASE("whatever a file holds, no decoder says anything of its own") {
  const Folder folder;
  Random random(8);
  for (const auto* name : {"a.mp3", "a.ogg", "a.opus", "a.flac", "a.wav"})
    for (const Format& format : formats)
      if (std::string(name).substr(2) == format.ending) write(folder, name, format.format, sine(1000, 1, 1, 0.5));
  std::fflush(stderr);
  const int kept = dup(2);
  const int caught = open(folder.path("stderr").c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
  dup2(caught, 2);
  for (const auto* name : {"a.mp3", "a.ogg", "a.opus", "a.flac", "a.wav"}) {
    const std::string whole = folder.read(std::string("clips/") + name);
    for (int round = 0; round < 60; ++round) {
      std::string bytes = whole;
      if (round % 3 == 0) bytes.resize(random.below(static_cast<std::uint32_t>(whole.size())));
      for (int flips = 0; flips < round % 7 && !bytes.empty(); ++flips)
        bytes[random.below(static_cast<std::uint32_t>(bytes.size()))] = static_cast<char>(random.below(256));
      folder.write("clips/b", bytes);
      try {
        decode_file(folder.path("clips/b"));
        ClipReader reader(folder.path("clips/b"));
        std::vector<float> some(2000);
        reader.seek(random.below(30000));
        reader.read(some.data(), 1000);
      } catch (const Error&) {
        continue;
      }
    }
  }
  std::fflush(stderr);
  dup2(kept, 2);
  close(kept);
  close(caught);
  CHECK(folder.read("stderr") == "");
}

TEST_CASE("a seek finds the very samples of reading through") {
  const Folder folder;
  Random random(3);
  std::vector<float> noise(48000 * 6);
  float low = 0;
  for (std::size_t i = 0; i < noise.size(); ++i) {
    low = 0.95F * low + 0.05F * static_cast<float>(random.between(-1, 1));
    noise[i] = low * (i / 8000 % 3 == 0 ? 0.01F : 1.0F);
  }
  for (const Format& format : formats) {
    if (std::string(format.ending) == "voc") continue;
    for (const int rate : {48000, 44100}) {
      if (rate != 48000 && std::string(format.ending) == "opus") continue;
      const std::string name = std::string("noise.") + format.ending;
      // In pieces: libsndfile's Ogg encoder fails at very many samples at once.
      SF_INFO info{};
      info.samplerate = rate;
      info.channels = 1;
      info.format = format.format;
      std::filesystem::create_directories(folder.path("clips"));
      SNDFILE* file = sf_open(folder.path("clips/" + name).c_str(), SFM_WRITE, &info);
      for (std::size_t at = 0; at < noise.size(); at += 4000) sf_write_float(file, noise.data() + at, 4000);
      sf_close(file);
      const Audio whole = decode_file(folder.path("clips/" + name));
      ClipReader reader(folder.path("clips/" + name));
      std::vector<float> some(3000);
      for (int round = 0; round < 60; ++round) {
        const std::size_t at = random.below(static_cast<std::uint32_t>(whole.samples.size() - some.size()));
        reader.seek(static_cast<std::int64_t>(at));
        REQUIRE(reader.read(some.data(), 3000) == 3000);
        float worst = 0;
        for (std::size_t i = 0; i < some.size(); ++i) worst = std::max(worst, std::abs(some[i] - whole.samples[at + i]));
        INFO(name << " at " << rate << " Hz from frame " << at);
        CHECK(worst <= 2.5e-7F);  // decoders that round by where they began: a step of 24 bits
      }
    }
  }
}

TEST_CASE("a file that has less than its header says is refused with both lengths; a recording that never knew its length is not") {
  const Folder folder;
  folder.write_clip("clips/long.wav", sine(500, 5, 1, 0.4));
  folder.write_clip("clips/long.flac", sine(500, 5, 1, 0.4));
  folder.write_clip("clips/long.aiff", sine(500, 5, 1, 0.4));
  for (const std::string name : {"clips/long.wav", "clips/long.flac", "clips/long.aiff"}) {
    const std::string whole = folder.read(name);
    folder.write(name, whole.substr(0, 20'000));
    INFO(name);
    CHECK_THROWS_WITH(decode_file(folder.path(name)), Contains("5.00 s") && Contains("the file was cut off"));
    folder.write(name, whole);
    CHECK(decode_file(folder.path(name)).samples.size() == 240'000);
  }
  std::string endless = folder.read("clips/long.wav");
  const auto data = endless.find("data");
  REQUIRE(data != std::string::npos);
  for (std::size_t i = 4; i < 8; ++i) endless[data + i] = '\xff';
  folder.write("clips/long.wav", endless.substr(0, 20'000));
  CHECK(!decode_file(folder.path("clips/long.wav")).samples.empty());
}
