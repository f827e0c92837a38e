#pragma once
#include <cstddef>
#include <string>
#include <string_view>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

// Of ASCII, whatever the locale.
constexpr bool is_digit(char c) { return c >= '0' && c <= '9'; }
constexpr bool is_letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'); }

/// Bytes of the letter that a UTF-8 text begins with, or 0 where it is none (RFC 3629).
std::size_t letter_length(std::string_view text);

/// Whether a file's name can be written in a book: UTF-8, without control characters.
bool can_be_written(std::string_view name);

/// The name with what cannot be printed as its bytes: "door\xE4.wav".
std::string printable(std::string_view name);

/// A number in as few digits as give the very same again.
std::string shortest_digits(double number);
/// A hundred times a number that is not negative, digit by digit: multiplied, it might be another double when it is read.
std::string hundredfold(double number);

}  // namespace tidewater
