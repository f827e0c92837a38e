#pragma once
/// The table of docs/osc.md, as src/desk/osc.cpp describes the addresses.

#include <fmt/format.h>

#include <string>

#include "desk/osc.hpp"

namespace tidewater::testing {

inline std::string with_osc_table(const std::string& document) {
  const std::string begin = "<!-- osc-rows -->\n", end = "<!-- /osc-rows -->";
  const std::size_t from = document.find(begin), to = document.find(end);
  if (from == std::string::npos || to == std::string::npos) return document;
  std::string table = "| address | types | range | meaning |\n| --- | --- | --- | --- |\n";
  for (const desk::OscRow& row : desk::osc_rows())
    table += fmt::format("| `{}` | {} | {} | {} |\n", row.address, row.types, row.range, row.meaning);
  return document.substr(0, from + begin.size()) + table + document.substr(to);
}

}  // namespace tidewater::testing
