#pragma once
#include <cstdint>
#include <string>

#include "media/decode.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// The encoder and its version: what it makes depends on it.
std::string encoder_version();

/// A file with this sound in an open format, among those that were prepared before (author/clips/content_keys.hpp): FLAC, or Vorbis or
/// Opus in Ogg, with a serial number that follows `key`, which names the sound and how it is encoded. The same gives the same bytes.
/// Throws Error where it cannot be encoded or written.
std::string encoded_file(const Audio& audio, BookWays::Codec codec, double quality, const std::string& key);

/// Such a file that is there; empty where none is.
std::string encoded_before(const std::string& key);

/// By what such a file is known to be whole, as nobody waited for the disk when it was written: its size and its last bytes, or 0 where
/// it cannot be read.
std::uint64_t end_of_encoded(const std::string& path);

}  // namespace tidewater
