#include "tidewater/author/credits.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "commands.hpp"
#include "print.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

int credits(const CreditsCall& call) {
  const ReadBook read = read_book(call.book);
  std::size_t problems = read.problems.size();
  if (read.book.file.empty()) throw Error(to_text(read.problems.front()));
  for (const auto& problem : read.problems) complain("{}\n", to_text(problem));
  const Credits made = credits_of(read.book);
  problems += made.problems.size();
  for (const auto& problem : made.problems) complain("{}\n", to_text(problem));
  for (const auto& credit : made.idle) complain("{}\n", to_text(credit));
  if (call.begin) {
    const BegunCredits begun = begin_credits(read.book, made);
    const std::size_t clips = made.without.size() - made.unfilled.size();
    if (begun.entries > 0)
      say("  begun      {}: {} entr{} for {} clip{}; fill in licence and author\n", begun.file, begun.entries,
          begun.entries == 1 ? "y" : "ies", clips, clips == 1 ? "" : "s");
    else if (made.without.empty())
      say("  every clip has a licence on record; there is nothing to begin\n");
    else
      say("  every clip has an entry in {}; fill in the licence of {}\n", begun.file, made.unfilled.front());
    return problems == 0 ? fine : bad_input;
  }
  if (call.output.empty()) {
    say("{}", made.text);
  } else {
    write_credits(made, call.output);
    say("  credits    {}\n", call.output);
  }
  if (!made.without.empty()) {
    complain("\n{} clip{} without a licence in {}/credits.toml; --begin adds what is missing there, to be filled in:\n",
             made.without.size(), made.without.size() == 1 ? "" : "s", read.book.clips_folder);
    for (const auto& clip : made.without) complain("  {}\n", clip);
  }
  return problems == 0 && made.without.empty() && made.idle.empty() ? fine : bad_input;
}

}  // namespace tidewater::tool
