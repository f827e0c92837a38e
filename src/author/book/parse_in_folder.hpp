#pragma once
#include <string>
#include <string_view>

#include "author/folder/clip_folder.hpp"
#include "base/ours.hpp"
#include "tidewater/author/book.hpp"

namespace TIDEWATER_OURS tidewater {

/// Parses a book as `parse_book` does, with a listing of the folder of clips from before. The listing is used if it is of the folder that
/// the book names. If it is not, or is null, the folder is listed again.
ReadBook parse_book_in(std::string_view text, const std::string& path, const ClipFolder* folder);

}  // namespace tidewater
