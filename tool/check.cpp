#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <set>

#include "commands.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater::tool {
namespace {

std::string counted(std::size_t count, std::string_view one) { return fmt::format("{} {}{}", count, one, count == 1 ? "" : "s"); }

void print_json(const std::vector<Problem>& problems) {
  auto list = nlohmann::ordered_json::array();
  for (const auto& p : problems)
    list.push_back({{"file", p.place.file}, {"line", p.place.line}, {"column", p.place.column}, {"message", p.message}});
  fmt::print("{}\n", list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
}

}  // namespace

int check(const CheckCall& call) {
  ReadBook read = read_book(call.book);
  for (auto& problem : check_clips(read.book)) read.problems.push_back(std::move(problem));
  if (call.json) {
    print_json(read.problems);
  } else if (read.problems.empty()) {
    std::set<std::string> clips;
    for (const auto& sound : read.book.sounds) sound.each_clip([&](const BookLayer&, const BookClip& clip) { clips.insert(clip.path); });
    fmt::print("{}: good: {}, {}, {}, {}\n", call.book, counted(read.book.events.size(), "event"),
               counted(read.book.sounds.size(), "sound"), counted(clips.size(), "clip"), counted(read.book.groups.size(), "group"));
  } else {
    for (const auto& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
    fmt::print(stderr, "{} in {}\n", counted(read.problems.size(), "problem"), call.book);
  }
  return read.problems.empty() ? fine : bad_input;
}

}  // namespace tidewater::tool
