#include <cstdint>

#include "tidewater/error.hpp"
#include "tidewater/journal_file.hpp"
#include "tidewater/replay.hpp"

/// Whatever the text, the reader answers with requests in order of time, or with words.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const auto script = tidewater::parse_journal({reinterpret_cast<const char*>(data), size}, "j");
    tidewater::Frames last;
    for (const auto& request : script.requests) {
      if (request.at < last) __builtin_trap();
      last = request.at;
      tidewater::to_json({request.at, request.asked});
    }
  } catch (const tidewater::Error& error) {
    if (error.what()[0] == '\0') __builtin_trap();
  }
  return 0;
}
