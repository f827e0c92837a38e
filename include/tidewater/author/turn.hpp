#pragma once
/// Turns a sound of a running game: what a book says of it now takes the place of what the game has loaded.
///
///     const Read<std::string> design = turned_design(bank, read_book("book.toml").book, "engine");
///     if (design.value) manager.turn("quay", "engine", *design.value);
///
/// Values can be turned: gains, pitches, ranges, limits, distances, curves. Clips, layers and events need a compiled book and `reload`.

#include <string>
#include <string_view>

#include "tidewater/author/book.hpp"
#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// The design of one sound of the bank with the values of the book, as text for `SoundManager::turn`. The problem says which difference
/// needs a reload. The bank is the one that the game has loaded. The trims by which clips meet a level stay those of the bank.
Read<std::string> turned_design(const Bank& bank, const Book& book, std::string_view sound);

/// The bank's own design: turning to it gives back what was turned.
Read<std::string> own_design(const Bank& bank, std::string_view sound);

}  // namespace tidewater
