#include <catch2/catch.hpp>
#include <cmath>

#include "audio_thread.hpp"
#include "stage.hpp"
#include "tidewater/author/components.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

/// Builds a small binary file, number by number.
struct Bytes {
  std::string all;

  Bytes& text(const std::string& s, std::size_t width) {
    all += s;
    return zeros(width - s.size());
  }
  Bytes& zeros(std::size_t count) { return repeat(0, count); }
  Bytes& repeat(int value, std::size_t count) {
    all.append(count, static_cast<char>(value));
    return *this;
  }
  Bytes& u8(unsigned value) { return repeat(static_cast<int>(value), 1); }
  Bytes& u16(unsigned value) { return u8(value & 255U).u8(value >> 8U); }
  Bytes& u32(unsigned value) { return u16(value & 0xFFFFU).u16(value >> 16U); }
  Bytes& big16(unsigned value) { return u8(value >> 8U).u8(value & 255U); }
  Bytes& up_to(std::size_t size) { return zeros(size - all.size()); }
};

/// One period of a sine in 32 bytes; `offset` 128 where the format counts from the bottom; or what each adds to the last.
Bytes& add_period(Bytes& to, int offset = 0, bool deltas = false) {
  int last = 0;
  for (int i = 0; i < 32; ++i) {
    const int now = static_cast<int>(std::lround(100 * std::sin(6.283185307179586 * i / 32)));
    to.repeat(deltas ? now - last : now + offset, 1);
    last = now;
  }
  return to;
}

// One note, middle C, of one looped sample, in each of the four old file formats.

std::string mod_file() {
  Bytes b;
  b.text("kelp quay", 20).text("tone", 22).big16(16).u8(0).u8(64).big16(0).big16(16);
  for (int i = 0; i < 30; ++i) b.zeros(28).big16(1);
  b.u8(1).u8(127).zeros(128).text("M.K.", 4).big16(0x01AC).u8(0x10).zeros(1024 - 3);
  return add_period(b).all;
}

std::string s3m_file() {
  Bytes b;
  b.text("kelp quay", 28).u8(0x1A).u8(16).zeros(2).u16(2).u16(1).u16(1).u16(0).u16(0x1320).u16(2).text("SCRM", 4);
  b.u8(64).u8(6).u8(125).u8(0xB0).zeros(12).u8(0).repeat(255, 31).u8(0).u8(255).u16(0x80 / 16).u16(0x100 / 16).up_to(0x80);
  b.u8(1).text("tone", 12).u8(0).u16(0x160 / 16).u32(32).u32(0).u32(32).u8(64).u8(0).u8(0).u8(1).u32(8363).zeros(12).text("tone", 28);
  b.text("SCRS", 4).up_to(0x100).u16(2 + 3 + 64).u8(0x20).u8(0x40).u8(1).zeros(64).up_to(0x160);
  return add_period(b, 128).all;
}

std::string xm_file() {
  Bytes b;
  b.text("Extended Module: ", 17).text("kelp quay", 20).u8(0x1A).text("by hand", 20).u16(0x0104).u32(276);
  b.u16(1).u16(0).u16(2).u16(1).u16(1).u16(1).u16(6).u16(125).zeros(256);
  b.u32(9).u8(0).u16(64).u16(3 + 127).u8(0x83).u8(49).u8(1).repeat(0x80, 127);
  b.u32(263).text("tone", 22).u8(0).u16(1).u32(40).zeros(263 - 33);
  b.u32(32).u32(0).u32(32).u8(64).u8(0).u8(1).u8(128).u8(0).u8(0).text("tone", 22);
  return add_period(b, 0, true).all;
}

std::string it_file() {
  Bytes b;
  b.text("IMPM", 4).text("kelp quay", 26).u16(0x1004).u16(2).u16(0).u16(1).u16(1).u16(0x0214).u16(0x0200).u16(9).u16(0);
  b.u8(128).u8(48).u8(6).u8(125).u8(128).u8(0).zeros(10).repeat(32, 64).repeat(64, 64).u8(0).u8(255).u32(0xD0).u32(0x140).up_to(0xD0);
  b.text("IMPS", 4).text("tone", 13).u8(64).u8(1 + 16).u8(64).text("tone", 26).u8(1).u8(0);
  b.u32(32).u32(0).u32(32).u32(8363).zeros(8).u32(0x1A0).zeros(4).up_to(0x140);
  b.u16(5 + 64).u16(64).zeros(4).u8(0x81).u8(3).u8(60).u8(1).zeros(64).up_to(0x1A0);
  return add_period(b).all;
}

/// An ocarina's A for a second.
std::string midi_file() {
  Bytes b;
  b.text("MThd", 4).zeros(3).u8(6).big16(0).big16(1).big16(96).text("MTrk", 4).zeros(3).u8(3 + 4 + 5 + 4);
  b.u8(0).u8(0xC0).u8(79).u8(0).u8(0x90).u8(69).u8(100).u8(0x81).u8(0x40).u8(0x80).u8(69).u8(0).u8(0).u8(0xFF).u8(0x2F).u8(0);
  return b.all;
}

Take heard(const Folder& folder, const std::string& name, const std::string& file, const std::string& head = "") {
  folder.write("clips/" + name, file);
  return heard_clip(folder, name, head);
}

bool has(const std::string& what) {
  for (const auto& component : components())
    if (component.what == what) return !component.library.empty();
  FAIL("no such component: " << what);
  return false;
}

const std::string soundfont = "soundfont = \"/usr/share/sounds/sf2/TimGM6mb.sf2\"\n";

}  // namespace

TEST_CASE("a tracker module of each kind is heard at its pitch, or the build says what it lacks") {
  const auto [name, file] = GENERATE(table<std::string, std::string>(
      {{"tune.mod", mod_file()}, {"tune.s3m", s3m_file()}, {"tune.XM", xm_file()}, {"tune.it", it_file()}}));
  INFO(name);
  const Folder folder;
  if (!has("tracker modules")) {
    CHECK_THROWS_WITH(heard(folder, name, file), Contains("install libopenmpt-dev and build again"));
    return;
  }
  const Take take = heard(folder, name, file);
  CHECK(take.onset() < 0.02);
  CHECK(take.part(0.2, 0.5).rms() > 0.02);
  CHECK(take.part(0.2, 0.5).pitch() == Approx(8363 / 32.0).epsilon(0.012));  // the oldest kind has a clock of its own
}

TEST_CASE("a MIDI file is heard at its pitch through a SoundFont, or the build says what it lacks") {
  const Folder folder;
  if (!has("MIDI")) {
    CHECK_THROWS_WITH(heard(folder, "tune.mid", midi_file(), soundfont), Contains("install libfluidsynth-dev and build again"));
    return;
  }
  const Take take = heard(folder, "tune.mid", midi_file(), soundfont);
  CHECK(take.onset() < 0.1);
  CHECK(take.part(0.3, 0.5).rms() > 0.005);
  CHECK(std::fmod(std::log2(take.part(0.3, 0.5).pitch() / 440) + 4.02, 1) < 0.04);  // an A, in one octave or another
  CHECK_THROWS_WITH(heard(folder, "tune.mid", midi_file()), Contains("set soundfont"));
  CHECK_THROWS_WITH(heard(folder, "tune.mid", midi_file(), "soundfont = \"none.sf2\"\n"), Contains("is not there, or is none"));
}

TEST_CASE("what only looks like music is told by its name") {
  const Folder folder;
  for (const std::string ending : {"mod", "xm", "it", "s3m", "mid"})
    CHECK_THROWS_WITH(heard(folder, "list." + ending, "bread, milk, rope", soundfont), Contains("list." + ending));
}
