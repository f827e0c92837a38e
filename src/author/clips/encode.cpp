#include "author/clips/encode.hpp"

#include <fmt/format.h>
#include <sndfile.h>
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <filesystem>
#include <memory>
#include <vector>

#include "author/clips/bring_to_rate.hpp"
#include "author/clips/content_keys.hpp"
#include "base/whole_file.hpp"
#include "media/bytes.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;
using Codec = BookWays::Codec;

constexpr Hertz rate_of_opus{48000};

/// Where libsndfile writes to.
struct Memory {
  std::string bytes;
  sf_count_t at = 0;

  static Memory& of(void* user) { return *static_cast<Memory*>(user); }
  sf_count_t size() const { return static_cast<sf_count_t>(bytes.size()); }
};

SF_VIRTUAL_IO io_of_memory() {
  SF_VIRTUAL_IO io{};
  io.get_filelen = [](void* user) -> sf_count_t { return Memory::of(user).size(); };
  io.tell = [](void* user) -> sf_count_t { return Memory::of(user).at; };
  io.seek = [](sf_count_t offset, int whence, void* user) -> sf_count_t {
    Memory& its = Memory::of(user);
    its.at = whence == SEEK_SET ? offset : whence == SEEK_CUR ? its.at + offset : its.size() + offset;
    return its.at;
  };
  io.read = [](void* to, sf_count_t count, void* user) -> sf_count_t {
    Memory& its = Memory::of(user);
    const auto got = static_cast<std::size_t>(std::clamp<sf_count_t>(its.size() - its.at, 0, count));
    std::memcpy(to, its.bytes.data() + its.at, got);
    its.at += static_cast<sf_count_t>(got);
    return static_cast<sf_count_t>(got);
  };
  io.write = [](const void* from, sf_count_t count, void* user) -> sf_count_t {
    Memory& its = Memory::of(user);
    if (its.at + count > its.size()) its.bytes.resize(static_cast<std::size_t>(its.at + count));
    std::memcpy(its.bytes.data() + its.at, from, static_cast<std::size_t>(count));
    its.at += count;
    return count;
  };
  return io;
}

/// The checksum of an Ogg page: CRC-32 of the polynomial 0x04c11db7, from zero, not reflected (RFC 3533).
std::uint32_t checksum(std::string_view page) {
  static const std::array<std::uint32_t, 256> table = [] {
    std::array<std::uint32_t, 256> made{};
    for (std::uint32_t i = 0; i < 256; ++i) {
      std::uint32_t r = i << 24U;
      for (int bit = 0; bit < 8; ++bit) r = (r & 0x80000000U) != 0 ? r << 1U ^ 0x04c11db7U : r << 1U;
      made[i] = r;
    }
    return made;
  }();
  std::uint32_t sum = 0;
  for (const char c : page) sum = sum << 8U ^ table[(sum >> 24U ^ static_cast<unsigned char>(c)) & 0xffU];
  return sum;
}

/// Encoders draw the number of a stream by chance; so that the same sound has the same bytes, it gets one of its own.
void set_serial(std::string& ogg, std::uint32_t serial) {
  constexpr std::size_t head = 27, serial_at = 14, sum_at = 22, segments_at = 26;
  const auto put = [&](std::size_t at, std::uint32_t value) {
    for (std::size_t i = 0; i < 4; ++i) ogg[at + i] = static_cast<char>(value >> 8 * i & 0xffU);
  };
  for (std::size_t at = 0; at + head <= ogg.size() && ogg.compare(at, 4, "OggS") == 0;) {
    std::size_t size = head + static_cast<unsigned char>(ogg[at + segments_at]);
    const std::size_t body = size;
    for (std::size_t s = head; s < body && at + s < ogg.size(); ++s) size += static_cast<unsigned char>(ogg[at + s]);
    if (at + size > ogg.size()) return;
    put(at + serial_at, serial);
    put(at + sum_at, 0);
    put(at + sum_at, checksum(std::string_view(ogg).substr(at, size)));
    at += size;
  }
}

std::string encoded(const Audio& audio, Codec codec, double quality) {
  const int flac = audio.sixteen_bits ? SF_FORMAT_PCM_16 : SF_FORMAT_PCM_24;
  SF_INFO info{};
  info.samplerate = static_cast<int>(audio.rate.value);
  info.channels = audio.channels;
  info.format = codec == Codec::flac   ? SF_FORMAT_FLAC | flac
                : codec == Codec::opus ? SF_FORMAT_OGG | SF_FORMAT_OPUS
                                       : SF_FORMAT_OGG | SF_FORMAT_VORBIS;
  Memory memory;
  memory.bytes.reserve(audio.samples.size());
  SF_VIRTUAL_IO io = io_of_memory();
  const auto fail = [](const char* why) { throw Error(fmt::format("it cannot be encoded ({})", why)); };
  std::unique_ptr<SNDFILE, int (*)(SNDFILE*)> file(sf_open_virtual(&io, SFM_WRITE, &info, &memory), sf_close);
  if (!file) fail(sf_strerror(nullptr));
  sf_command(file.get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
  if (codec != Codec::flac) sf_command(file.get(), SFC_SET_VBR_ENCODING_QUALITY, &quality, sizeof quality);
  // libsndfile 1.2 writes past its memory where an Ogg encoder is given very much at once.
  const std::size_t piece = 4096 * static_cast<std::size_t>(audio.channels);
  for (std::size_t at = 0; at < audio.samples.size(); at += piece) {
    const auto count = static_cast<sf_count_t>(std::min(piece, audio.samples.size() - at));
    if (sf_write_float(file.get(), audio.samples.data() + at, count) != count) fail(sf_strerror(file.get()));
  }
  file.reset();
  return std::move(memory.bytes);
}

fs::path path_of(const std::string& key, std::string_view ending) {
  return fs::path(cache_folder()) / "encoded" / fmt::format("{}.{}", key, ending);
}

}  // namespace

std::string encoded_before(const std::string& key) {
  std::error_code ignored;
  for (const char* ending : {"flac", "ogg", "opus"})
    if (!key.empty() && fs::exists(path_of(key, ending), ignored)) {
      fs::last_write_time(path_of(key, ending), fs::file_time_type::clock::now(), ignored);  // it is in use
      return path_of(key, ending).string();
    }
  return {};
}

std::uint64_t end_of_encoded(const std::string& path) {
  constexpr std::uint64_t looked_at = 4096;
  const Read<std::unique_ptr<Bytes>> file = read_file(path);
  if (!file.value) return 0;
  const std::uint64_t size = (*file.value)->size(), at = size - std::min(size, looked_at);
  std::vector<std::byte> end(static_cast<std::size_t>(size - at));
  if ((*file.value)->read(at, end) != end.size()) return 0;
  return XXH3_64bits_withSeed(end.data(), end.size(), size) | 1U;
}

std::string encoder_version() { return sf_version_string(); }

std::string encoded_file(const Audio& audio, Codec codec, double quality, const std::string& key) {
  const char* const ending = codec == Codec::flac ? "flac" : codec == Codec::opus ? "opus" : "ogg";
  const fs::path path = path_of(key, ending);
  std::error_code trouble;
  Audio at_rate = audio;
  if (codec == Codec::opus && audio.rate != rate_of_opus) at_rate = bring_to_rate({audio}, rate_of_opus).audio;
  std::string bytes = encoded(at_rate, codec, quality);
  if (codec != Codec::flac) set_serial(bytes, static_cast<std::uint32_t>(XXH3_64bits(key.data(), key.size())));
  fs::create_directories(path.parent_path(), trouble);
  // Nobody waits for the disk: whoever takes it from here again looks at its size and its end.
  WholeFile out(path.string());
  out.write(bytes);
  out.commit_at_once();
  return path.string();
}

}  // namespace tidewater
