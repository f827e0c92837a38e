#pragma once
/// The tables of docs/book.md, as the keys and the kinds of advice are described in the code.

#include <map>
#include <string>
#include <vector>

#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater::testing {

/// Returns whether the key belongs to a response. Such keys are in the table of responses only.
inline bool is_of_response(std::string_view key) {
  for (const BookKey& known : book_keys())
    if (known.section == "responses" && known.key == key) return true;
  return false;
}

inline std::string table_of_keys(std::string_view section) {
  std::string table = "| key | takes | default | example | meaning |\n| --- | --- | --- | --- | --- |\n";
  for (const BookKey& key : book_keys()) {
    if (key.section != section || (section == "events" && is_of_response(key.key))) continue;
    const std::string standard = key.standard.empty()                                     ? "needed"
                                 : key.standard.front() == '"' || key.standard == "false" ? "`" + std::string(key.standard) + "`"
                                                                                          : std::string(key.standard);
    table += "| `" + std::string(key.key) + "` | " + key.takes + " | " + standard + " | `" + std::string(key.example) + "` | " +
             std::string(key.meaning) + " |\n";
  }
  return table;
}

inline std::string table_of_advice() {
  std::string table = "| advice | about |\n| --- | --- |\n";
  for (const auto& kind : advice_kinds()) table += "| " + std::string(kind.kind) + " | " + std::string(kind.meaning) + " |\n";
  return table;
}

/// A document with its tables made again: the first table of keys is that of the first section, and so on.
inline std::string with_tables(const std::string& document) {
  std::vector<std::string_view> sections;
  for (const BookKey& key : book_keys())
    if (sections.empty() || sections.back() != key.section) sections.push_back(key.section);
  std::string made;
  std::size_t at = 0, section = 0;
  const auto put = [&](const std::string& table) {
    made += table;
    const auto end = document.find("\n\n", at);
    at = end == std::string::npos ? document.size() : end + 1;
  };
  while (at < document.size()) {
    if (document.compare(at, 14, "| key | takes ") == 0)
      put(section < sections.size() ? table_of_keys(sections[section++]) : "there is a table of keys too many\n");
    else if (document.compare(at, 17, "| advice | about ") == 0)
      put(table_of_advice());
    else {
      const auto end = std::min(document.find('\n', at), document.size() - 1) + 1;
      made += document.substr(at, end - at);
      at = end;
    }
  }
  for (; section < sections.size(); ++section) made += "there is no table of the keys of " + std::string(sections[section]) + "\n";
  return made;
}

}  // namespace tidewater::testing
