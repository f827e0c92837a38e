#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <set>

#include "commands.hpp"
#include "progress.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater::tool {
namespace {

std::string counted(std::size_t count, std::string_view one) { return fmt::format("{} {}{}", count, one, count == 1 ? "" : "s"); }

std::string pieces(std::size_t count) { return fmt::format("{} piece{} of advice", count, count == 1 ? "" : "s"); }

void print_json(const std::vector<Problem>& problems, const std::vector<Advice>& advice) {
  auto list = nlohmann::ordered_json::array();
  for (const auto& p : problems)
    list.push_back({{"file", p.place.file}, {"line", p.place.line}, {"column", p.place.column}, {"message", p.message}});
  for (const auto& a : advice)
    list.push_back({{"file", a.place.file},
                    {"line", a.place.line},
                    {"column", a.place.column},
                    {"message", a.message},
                    {"advice", a.kind},
                    {"about", a.about}});
  fmt::print("{}\n", list.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
}

}  // namespace

int check(const CheckCall& call) {
  ReadBook read = read_book(call.book);
  Progress progress("Measuring clips");
  Checked checked = check_clips(read.book, [&](std::size_t done, std::size_t all) { progress.show(done, all); });
  progress.clear();
  for (auto& problem : checked.problems) read.problems.push_back(std::move(problem));
  if (call.json) {
    print_json(read.problems, checked.advice);
  } else {
    for (const auto& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
    for (const auto& advice : checked.advice) fmt::print(stderr, "{}\n", to_text(advice));
    std::set<std::string> clips;
    for (const auto& sound : read.book.sounds) sound.each_clip([&](const BookLayer&, const BookClip& clip) { clips.insert(clip.path); });
    const std::string accepted = checked.accepted == 0 ? "" : fmt::format(", {} accepted in the book", checked.accepted);
    if (!read.problems.empty() || !checked.advice.empty())
      fmt::print(stderr, "{} and {}{} in {}\n", counted(read.problems.size(), "problem"), pieces(checked.advice.size()), accepted,
                 call.book);
    if (read.problems.empty())
      fmt::print("{}: good: {}, {}, {}, {}{}\n", call.book, counted(read.book.events.size(), "event"),
                 counted(read.book.sounds.size(), "sound"), counted(clips.size(), "clip"), counted(read.book.groups.size(), "group"),
                 checked.advice.empty() ? accepted.empty() ? "" : "; advice: " + accepted.substr(2) : "");
  }
  return read.problems.empty() && (!call.strict || checked.advice.empty()) ? fine : bad_input;
}

}  // namespace tidewater::tool
