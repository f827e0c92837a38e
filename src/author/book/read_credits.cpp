#include "author/book/read_credits.hpp"

#include "author/book/keys.hpp"

namespace tidewater {

void read_credits(Problems& problems, const Keys& root, std::vector<BookCredit>& into) {
  const toml::node* node = root.get("credits");
  if (node == nullptr) return;
  const auto* list = node->as_array();
  if (list == nullptr) return problems.add(problems.at(*node), "credits are a list: write [[credits]]");
  for (const auto& item : *list) {
    const auto* table = item.as_table();
    if (table == nullptr) {
      problems.add(problems.at(item), "a credit is a table: [[credits]], with clips, licence and author");
      continue;
    }
    check_keys(problems, *table, "a credit", keys_of("credits"));
    BookCredit& credit = into.emplace_back();
    credit.place = problems.at(item);
    credit_rows().read(problems, *table, credit);
    const auto* clips = table->get_as<toml::array>("clips");
    if (clips == nullptr || clips->empty())
      problems.add(problems.at(item), "a credit needs clips, such as clips = [\"steps/\"] for a folder, or [\"gull-*.flac\"]");
    else
      for (const auto& clip : *clips) credit.clips.push_back(clip.value_or(std::string()));
    if (!table->contains("licence")) problems.add(problems.at(item), "a credit needs a licence, such as licence = \"CC-BY-4.0\"");
  }
}

}  // namespace tidewater
