#pragma once
#include <string>
#include <string_view>

namespace tidewater {

/// A mistake in TOML as a person would put it, and the lines to pass over so that the rest can be read.
struct SyntaxMistake {
  unsigned line = 0, column = 0;  ///< where to mend it, from 1
  std::string message;
  unsigned first_bad = 0, last_bad = 0;  ///< lines
};

/// Finds out what was meant where the parser stopped, at a line and column, for the reason that it gives.
SyntaxMistake explain(std::string_view text, unsigned line, unsigned column, const std::string& reason);

}  // namespace tidewater
