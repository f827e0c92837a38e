/// A project of somebody else's, who has only what was installed.
#include <tidewater/author/book.hpp>
#include <tidewater/device/device.hpp>
#include <tidewater/manager.hpp>

int main() {
  tidewater::SoundManager manager;
  std::vector<float> block(512);
  manager.render(block);
  const bool empty_is_told = !tidewater::parse_book("", "book.toml").problems.empty();
  return empty_is_told && manager.raise("nothing").outcome == tidewater::Outcome::unknown_event && manager.clock().value == 256 ? 0 : 1;
}
