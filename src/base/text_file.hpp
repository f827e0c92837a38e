#pragma once
#include <string>
#include <string_view>

#include "base/ours.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

/// Why a path is no text that can be read: "is a WAV file, not a journal"; it looks at no more than the file's first bytes, and opens no
/// device or pipe. Empty for a text. `wanted` says what it should be: "a journal".
std::string why_no_text(const std::string& path, std::string_view wanted);

/// A whole text of at most `most` bytes, or a problem with the path; the second throws it as an Error.
Read<std::string> read_text(const std::string& path, std::string_view wanted, std::size_t most = std::size_t{1} << 30);
std::string read_text_file(const std::string& path, std::string_view wanted, std::size_t most = std::size_t{1} << 30);

}  // namespace tidewater
