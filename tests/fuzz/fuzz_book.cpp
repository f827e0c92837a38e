#include <cstdint>

#include "tidewater/author/book.hpp"

/// Whatever the text, the parser answers with a book or with problems that can be printed.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto read = tidewater::parse_book({reinterpret_cast<const char*>(data), size}, "examples/harbour/book.toml");
  for (const auto& problem : read.problems)
    if (tidewater::to_text(problem).empty()) __builtin_trap();
  if (read.problems.empty() && (read.book.name.empty() || read.book.groups.empty())) __builtin_trap();
  return 0;
}
