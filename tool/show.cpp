#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "commands.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {
namespace {

void print_problems(const std::vector<Problem>& problems) {
  for (const auto& problem : problems) fmt::print(stderr, "{}\n", to_text(problem));
}

void print_sound(const BookSound& sound, const std::set<std::string>& placeholders) {
  std::size_t widest = 0;
  for (const auto& setting : sound.settings)
    if (setting.value.size() < 48) widest = std::max(widest, setting.value.size());
  fmt::print("{}:{}: sound '{}'\n\n", sound.place.file, sound.place.line, sound.name);
  fmt::print("  {:<14}  {:<{}}  {}\n", "key", "value", widest, "from");
  for (const auto& setting : sound.settings) fmt::print("  {:<14}  {:<{}}  {}\n", setting.key, setting.value, widest, setting.from);
  for (const auto& layer : sound.layers) {
    fmt::print("\n  {}\n", layer.name.empty() ? "clips" : "clips of layer '" + layer.name + "'");
    for (const auto& choice : layer.choices) {
      std::string when;
      for (std::size_t i = 0; i < choice.values.size(); ++i)
        when += fmt::format("{}{} = {}", i == 0 ? "" : ", ", layer.by[i], choice.values[i]);
      if (!layer.by.empty()) fmt::print("    {}\n", when.empty() ? "otherwise" : when);
      const std::string indent(layer.by.empty() ? 4 : 6, ' ');
      if (choice.clips.empty()) fmt::print("{}(none: silent)\n", indent);
      for (const auto& clip : choice.clips)
        fmt::print("{}{}{}{}\n", indent, clip.path, clip.weight == 1 ? "" : fmt::format("  weight {}", clip.weight),
                   placeholders.contains(clip.path) ? "  (placeholder)" : "");
    }
  }
}

}  // namespace

int show(const ShowCall& call) {
  const ReadBook read = read_book(call.book);
  const auto sound = std::find_if(read.book.sounds.begin(), read.book.sounds.end(), [&](const auto& s) { return s.name == call.name; });
  if (sound == read.book.sounds.end()) {
    print_problems(read.problems);
    std::string all;
    for (const auto& known : read.book.sounds) all += (all.empty() ? "" : ", ") + known.name;
    throw Error(fmt::format("{}: no sound is called '{}'; the sounds are {}", call.book, call.name, all));
  }
  Book only = read.book;
  only.sounds = {*sound};
  print_sound(*sound, placeholders_of(only));
  if (read.problems.empty()) return fine;
  fmt::print(stderr, "\n");
  print_problems(read.problems);
  return bad_input;
}

}  // namespace tidewater::tool
