#pragma once
#include <string>
#include <string_view>

#include "author/folder/clip_folder.hpp"
#include "base/ours.hpp"
#include "tidewater/author/book.hpp"

namespace TIDEWATER_OURS tidewater {

/// As `parse_book`, for one who reads the same book again and again: the listing of its folder of clips is used as it is, if it is of the
/// folder that the book names. Null lists the folder.
ReadBook parse_book_in(std::string_view text, const std::string& path, const ClipFolder* folder);

}  // namespace tidewater
