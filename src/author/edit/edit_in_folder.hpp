#pragma once
#include <span>
#include <string>
#include <string_view>

#include "author/folder/clip_folder.hpp"
#include "base/ours.hpp"
#include "tidewater/author/edit_book.hpp"

namespace TIDEWATER_OURS tidewater {

/// As `edit_book`, with a listing of the folder of clips, as `parse_book_in` takes it.
EditedBook edit_book_in(std::string_view text, const std::string& path, std::span<const BookEdit> edits, const ClipFolder* folder);

}  // namespace tidewater
