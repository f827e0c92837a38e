#pragma once
#include <string>

#include "base/ours.hpp"
#include "media/decode.hpp"
#include "tidewater/author/book.hpp"

namespace TIDEWATER_OURS tidewater {

/// Where a clip of the book lies, as a path that can be opened.
std::string clip_file(const Book& book, const std::string& path);

/// The samples of a clip: from its file, or made from its recipe. Throws Error as `decode_clip`.
Audio clip_audio(const Book& book, const std::string& path);

}  // namespace tidewater
