#pragma once
#include <string>
#include <string_view>

namespace tidewater {

/// Where a TOML text is so deep that reading it would exhaust the stack: the parser and its tables call themselves for each
/// bracket and for each part of a dotted name. Empty words where it is not.
struct Depth {
  unsigned line = 0, column = 0;
  std::string problem;
};
Depth too_deep(std::string_view toml);

}  // namespace tidewater
