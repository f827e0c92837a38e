#include "author/book/read_banks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "author/book/keys.hpp"
#include "author/folder/pattern.hpp"
#include "base/nearest.hpp"

namespace tidewater {
bool can_name_a_file(std::string_view name) {
  return !name.empty() && name.front() != '.' && name.find_first_of("/\\") == std::string_view::npos;
}

namespace {

/// What becomes the name of a file.
/// A list of texts, each told by `check` whether it may be; nothing where the key is not there.
template <class Check>
std::vector<std::string> texts(Problems& problems, const toml::table& table, const char* key, const char* what, Check check) {
  std::vector<std::string> found;
  const toml::node* node = table.get(key);
  if (node == nullptr) return found;
  const toml::array* list = node->as_array();
  if (list == nullptr || list->empty()) {
    problems.add(problems.at(*node), fmt::format("{} of a bank is a list of texts, such as {} = [{}]", key, key, what));
    return found;
  }
  for (const auto& item : *list) {
    const std::string text = item.value_or(std::string());
    const std::string problem =
        text.empty() ? fmt::format("{} of a bank is a list of texts, such as {} = [{}]", key, key, what) : check(text);
    if (problem.empty())
      found.push_back(text);
    else
      problems.add(problems.at(item), problem);
  }
  return found;
}

}  // namespace

void read_book_bank(Problems& problems, const toml::key& key, const toml::table& table, Book& book) {
  check_keys(problems, table, fmt::format("bank '{}'", key.str()), keys_of("banks"));
  BookBank bank{std::string(key.str()), {}, {}, {}, problems.at(key)};
  if (!can_name_a_file(bank.name))
    problems.add(bank.place,
                 fmt::format("the bank '{}' cannot be a file: give it a name without slashes that begins with no dot", bank.name));
  std::vector<std::string_view> known;
  for (const BookEvent& event : book.events) known.emplace_back(event.name);
  bank.events = texts(problems, table, "events", "\"ferry.*\", \"rain.began\"", [&](const std::string& text) {
    const Pattern fits(text, Pattern::Slashes::pass);
    if (!fits.problem().empty() || !book.whole) return fits.problem();
    if (std::any_of(known.begin(), known.end(), [&](std::string_view event) { return fits.fits(event); })) return std::string();
    return fmt::format("no event fits '{}'{}", text, problems.may_look() ? did_you_mean(text, known) : "");
  });
  bank.clips = texts(problems, table, "clips", "\"steps/\", \"gull-*.flac\"", [&](const std::string& text) {
    const Pattern fits = files_named(text);
    if (!fits.problem().empty() || !book.whole) return fits.problem();
    bool any = false;
    for (const BookSound& sound : book.sounds)
      sound.each_clip([&](const BookLayer&, const BookClip& clip) { any = any || fits.fits(clip.path); });
    return any ? std::string() : fmt::format("no sound has a clip that fits '{}'", text);
  });
  bank.needs = texts(problems, table, "needs", "\"common\"", [](const std::string&) { return std::string(); });
  if (!table.contains("events") && !table.contains("clips"))
    problems.add(bank.place, fmt::format("bank '{}' needs events, such as events = [\"ferry.*\", \"rain.began\"], or clips for other banks",
                                         bank.name));
  if (!bank.clips.empty() && (!bank.events.empty() || !bank.needs.empty()))
    problems.add(bank.place,
                 fmt::format("bank '{}' has clips for others, and then no events and no needs: give these to another bank", bank.name));
  book.banks.push_back(std::move(bank));
}

void check_needs(Problems& problems, const Book& book) {
  std::vector<std::string_view> lenders;
  for (const BookBank& bank : book.banks)
    if (!bank.clips.empty()) lenders.emplace_back(bank.name);
  for (const BookBank& bank : book.banks)
    for (const std::string& need : bank.needs)
      if (std::find(lenders.begin(), lenders.end(), need) == lenders.end())
        problems.add(bank.place, fmt::format("bank '{}' needs '{}', which is no bank with clips for others{}", bank.name, need,
                                             problems.may_look() ? did_you_mean(need, lenders) : ""));
}

}  // namespace tidewater
