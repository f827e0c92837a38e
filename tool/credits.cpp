#include "tidewater/author/credits.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "commands.hpp"

namespace tidewater::tool {

int credits(const CreditsCall& call) {
  const ReadBook read = read_book(call.book);
  std::size_t problems = read.problems.size();
  for (const auto& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
  const Credits made = credits_of(read.book);
  problems += made.problems.size();
  for (const auto& problem : made.problems) fmt::print(stderr, "{}\n", to_text(problem));
  if (call.output.empty()) {
    fmt::print("{}", made.text);
  } else {
    write_credits(made, call.output);
    fmt::print("  credits    {}\n", call.output);
  }
  if (!made.without.empty()) {
    fmt::print(stderr, "\n{} clip{} without a licence; name them in credits.toml in the folder of clips:\n", made.without.size(),
               made.without.size() == 1 ? "" : "s");
    for (const auto& clip : made.without) fmt::print(stderr, "  {}\n", clip);
  }
  return problems == 0 && made.without.empty() ? fine : bad_input;
}

}  // namespace tidewater::tool
