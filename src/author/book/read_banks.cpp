#include "author/book/read_banks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "author/book/keys.hpp"
#include "author/folder/pattern.hpp"
#include "tidewater/nearest.hpp"

namespace tidewater {
namespace {

/// What becomes the name of a file.
bool plain(std::string_view name) { return !name.empty() && name.front() != '.' && name.find_first_of("/\\") == std::string_view::npos; }

}  // namespace

void read_book_bank(Problems& problems, const toml::key& key, const toml::table& table, Book& book) {
  check_keys(problems, table, fmt::format("bank '{}'", key.str()), keys_of("banks"));
  BookBank bank{std::string(key.str()), {}, problems.at(key)};
  if (!plain(bank.name)) problems.add(bank.place, fmt::format("the bank '{}' cannot be a file: give it a name without slashes", bank.name));
  const auto* patterns = table.get_as<toml::array>("events");
  if (patterns == nullptr || patterns->empty())
    return problems.add(bank.place, fmt::format("bank '{}' needs events, such as events = [\"ferry.*\", \"rain.began\"]", bank.name));
  std::vector<std::string_view> known;
  for (const BookEvent& event : book.events) known.emplace_back(event.name);
  for (const auto& item : *patterns) {
    const std::string pattern = item.value_or(std::string());
    const Pattern fits(pattern, Pattern::Slashes::pass);
    if (pattern.empty() || !fits.problem().empty()) {
      problems.add(problems.at(item), pattern.empty() ? "an event of a bank is a text, such as \"ferry.*\"" : fits.problem());
      continue;
    }
    if (book.whole && std::none_of(known.begin(), known.end(), [&](std::string_view event) { return fits.fits(event); }))
      problems.add(problems.at(item),
                   fmt::format("no event fits '{}'{}", pattern, problems.may_look() ? did_you_mean(pattern, known) : ""));
    bank.events.push_back(pattern);
  }
  book.banks.push_back(std::move(bank));
}

}  // namespace tidewater
