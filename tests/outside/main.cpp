/// A project of somebody else's, who has only what was installed.
#include <tidewater/author/book.hpp>
#include <tidewater/desk/desk.hpp>
#include <tidewater/device/device.hpp>
#include <tidewater/error.hpp>
#include <tidewater/journal_file.hpp>
#include <tidewater/manager.hpp>

int main() {
  std::string first_line;
  tidewater::SoundManager manager({.journal = [&](const tidewater::JournalEntry& entry) {
    if (entry.as<tidewater::noted::Head>() != nullptr) first_line = tidewater::to_json(entry);
  }});
  std::vector<float> block(512);
  manager.render(block);
  const bool empty_is_told = !tidewater::parse_book("", "book.toml").problems.empty();
  manager.update({});
  bool desk_is_there = false;
  try {
    const tidewater::Desk desk(manager, {.book = "nowhere/book.toml"});
  } catch (const tidewater::Error&) {
    desk_is_there = true;
  }
  return desk_is_there && first_line.rfind("{\"journal\":1,", 0) == 0 && empty_is_told &&
                 manager.raise("nothing").outcome == tidewater::Outcome::unknown_event && manager.clock().value == 256
             ? 0
             : 1;
}
