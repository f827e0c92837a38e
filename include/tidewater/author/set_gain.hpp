#pragma once
/// Changes the gain of a sound in the text of a book, and nothing else.

#include <string>
#include <string_view>

#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

struct EditedText {
  std::string text;     ///< the whole book; empty if there is a problem
  std::string before;   ///< the value that was there; empty if there was none
  std::string now;      ///< the value that is there now, as the book writes it
  unsigned line = 0;    ///< from 1
  std::string problem;  ///< why nothing was changed, with what to do
};

/// Moves the gain of the sound by so many decibels: both ends of a range. Every other byte stays. A sound without a gain gets one behind
/// its head. The edit is proved by reading the new text again; where more than this sound's gain would change, nothing does. `path` is
/// where the book lies, which other files are found from.
EditedText turn_gain(const std::string& text, std::string_view sound, Decibels by, const std::string& path);

}  // namespace tidewater
