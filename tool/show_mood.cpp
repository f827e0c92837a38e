#include <fmt/format.h>

#include "columns.hpp"
#include "show_one.hpp"

namespace tidewater::tool {

std::string show_scope(const Book& book, const BookScope& scope) {
  Table table({"key", "value"});
  if (!scope.parent.empty()) table.row({"parent", scope.parent});
  table.row({"fade-out", to_text(scope.fade_out)});
  table.row({"pause-fade", to_text(scope.pause_fade)});
  table.row({"grace", to_text(scope.grace)});
  table.row({"mood", scope.mood.empty() ? "none" : scope.mood});
  std::string members;
  const auto add = [&](const char* what, const std::string& name) {
    members += fmt::format("{}{} {}", members.empty() ? "" : ", ", what, name);
  };
  for (const auto& below : book.scopes)
    if (below.parent == scope.name) add("scope", below.name);
  for (const auto& group : book.groups)
    if (group.scope == scope.name) add("group", group.name);
  for (const auto& sound : book.sounds)
    if (sound.scope == scope.name) add("sound", sound.name);
  return title(scope.place, "scope", scope.name) + table.text() + fmt::format("\n  named by: {}\n", members.empty() ? "nothing" : members);
}

std::string changes_of(const BookMood& mood) {
  std::string text;
  for (const MoodGroupDesign& its : mood.groups) {
    std::string changes;
    const auto add = [&](const std::string& change) { changes += (changes.empty() ? " " : ", ") + change; };
    if (its.sets_gain) add(to_text(its.gain));
    if (its.low_pass > Hertz{}) add("low-pass " + to_text(its.low_pass));
    if (its.high_pass > Hertz{}) add("high-pass " + to_text(its.high_pass));
    text += (text.empty() ? "" : "; ") + its.group + changes;
  }
  return text;
}

std::string show_mood(const Book& book, const BookMood& mood) {
  Table table({"key", "value"});
  table.row({"rank", fmt::format("{}", mood.rank)});
  table.row({"fade-in", to_text(mood.fade_in)});
  table.row({"fade-out", to_text(mood.fade_out)});
  table.row({"groups", changes_of(mood)});
  std::string begun;
  const auto add = [&](const std::string& by) { begun += (begun.empty() ? "" : ", ") + by; };
  for (const BookScope& scope : book.scopes)
    if (scope.mood == mood.name) add("scope " + scope.name);
  for (const BookEvent& event : book.events)
    for (const BookResponse& response : event.responses)
      if (row_of(response.verb).target == TargetKind::mood && response.target == mood.name)
        add(fmt::format("event {} ({})", event.name, word_of(response.verb)));
  return title(mood.place, "mood", mood.name) + table.text() +
         fmt::format("\n  begun and ended by: {}\n", begun.empty() ? "no scope or event; by set_mood in the game's code" : begun);
}

}  // namespace tidewater::tool
