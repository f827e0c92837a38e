#pragma once
#include <span>
#include <string>
#include <string_view>

#include "author/folder/clip_folder.hpp"
#include "base/ours.hpp"
#include "tidewater/author/edit_book.hpp"

namespace TIDEWATER_OURS tidewater {

/// Edits a book as `edit_book` does. `folder` is a listing from before, as for `parse_book_in`.
EditedBook edit_book_in(std::string_view text, const std::string& path, std::span<const BookEdit> edits, const ClipFolder* folder);

}  // namespace tidewater
