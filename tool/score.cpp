#include <fmt/format.h>

#include <string>

#include "columns.hpp"
#include "commands.hpp"
#include "good_book.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "tidewater/author/score.hpp"
#include "tidewater/picture/score_picture.hpp"

namespace tidewater::tool {

int score(const ScoreCall& call) {
  const Score score = score_of(read_good_book(call.book), call.track);
  const std::string tempo = score.tempo.value > 0 ? fmt::format("{}, {}/{}", to_text(score.tempo), score.metre, score.unit) : "no tempo";
  say("track '{}': {}, {:.3f} s, stand '{}', group '{}'\n\n", score.track, tempo, score.length.value, score.stand, score.group);
  Table parts({"part", ">bars", ">from", ">to", "more"});
  for (const ScorePart& part : score.parts)
    parts.row({part.name, fmt::format("{} .. {}", part.first_bar, part.first_bar + part.bars - 1), fmt::format("{:.3f} s", part.from.value),
               fmt::format("{:.3f} s", part.to.value),
               part.loop     ? "goes round"
               : part.ending ? "heard when the track is left on its end"
                             : ""});
  if (!parts.empty()) say("{}\n", parts.text());
  Table stems({"stem", "clip", "follows"});
  for (const ScoreStem& stem : score.stems)
    stems.row({stem.name.empty() ? "-" : stem.name, stem.clip, fmt::format("{}", fmt::join(stem.follows, ", "))});
  say("{}\n", stems.text());
  Table changes({"from", "to", "how", ">places"});
  for (const ScoreChange& change : score.changes)
    changes.row({change.from, change.to, change.how,
                 change.from != score.track || change.on == On::now ? "" : fmt::format("{}", change.at.size())});
  say("{}", changes.empty() ? "no other track has this stand\n" : changes.text());
  if (call.picture.empty()) return fine;
  Rendering::make_folder_of(call.picture);
  draw_score(score, call.picture);
  say("\n  picture    {}\n", call.picture);
  return fine;
}

}  // namespace tidewater::tool
