#include <unistd.h>

#include <cmath>
#include <cstdint>
#include <cstdio>

#include "media/clip_reader.hpp"
#include "media/decode.hpp"
#include "tidewater/error.hpp"

/// Whatever the file, decoding gives finite samples or words.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::string path = "/tmp/tidewater-fuzz-" + std::to_string(getpid());
  std::FILE* file = std::fopen(path.c_str(), "wb");
  std::fwrite(data, 1, size, file);
  std::fclose(file);
  try {
    const auto audio = tidewater::decode_file(path);
    for (const float x : audio.samples)
      if (!std::isfinite(x)) __builtin_trap();
    // As a stream reads it: from somewhere, and on.
    tidewater::ClipReader reader(path);
    float some[2 * 512];
    for (const std::int64_t at :
         {std::int64_t{1}, static_cast<std::int64_t>(audio.samples.size()) / (3 * audio.channels), std::int64_t{0}}) {
      reader.seek(at);
      reader.read(some, 512);
    }
  } catch (const tidewater::Error& error) {
    if (error.what()[0] == '\0') __builtin_trap();
  }
  std::remove(path.c_str());
  return 0;
}
