/// The keys of sounds and of their layers.

#include "author/book/keys.hpp"

namespace tidewater {
namespace {

constexpr std::array<std::string_view, 2> all_or_each = {"all", "each-emitter"};
constexpr std::array<std::string_view, 2> spread_words = {"even", "middle"};
template <class T>
auto of_world(T WorldDesign::*member) {
  return [member](BookSound& sound) -> T& { return sound.world.*member; };
}

}  // namespace

const RowsOf<BookSound>& sound_rows() {
  static const RowsOf<BookSound> rows =
      RowsOf<BookSound>("sounds")
          .special({"group", "\"master\"", "\"effects\"", "The volume group that the sound belongs to."}, "name of a group")
          .words({"scope", "the group's", "\"world\"",
                  "The scope of the sound: one of [scopes.NAME], or root. It pauses, slows down and ends with the scope."},
                 &BookSound::scope, "name of a scope")
          .special({"like", "none", "\"gangway\"",
                    "Takes over every key of that sound that this one does not have itself; `tidewater show` prints the result."},
                   "name of a sound")
          .special({"clips", "", "[\"gangway-*.flac\"]",
                    "The clips to pick from, relative to the folder of clips. `*` and `?` stand for any text and any one letter within a "
                    "file's or "
                    "folder's name; a new take that fits a pattern needs no edit. See below for weights and traits."},
                   "list of files or patterns, or table by trait")
          .special({"layers", "none", "[ { clips = [\"low.flac\"] }, { clips = [\"high.flac\"] } ]",
                    "In place of clips: parts that start together, each with keys of its own."},
                   "list of layers")
          .special({"sketch", "none", "{ like = \"step\", variants = 5 }",
                    "In place of clips: placeholders made from a recipe. `tidewater sketch --list` names the ready ones."},
                   "name of a recipe, or table")
          .special({"pick", "\"shuffle\"", "\"in-order\"",
                    "How one clip is chosen at each start. `shuffle` plays each once before any repeats, and never one twice running; "
                    "`random` draws "
                    "any but the last, by weight; `in-order` goes round."},
                   "shuffle, random or in-order")
          .word({"pick-for", "\"all\"", "\"each-emitter\"", "Whether all that sounds shuffles together, or each emitter by itself."},
                &BookSound::each_emitter, all_or_each)
          .quantity({"gain", "\"0 dB\"", "\"-9 dB .. -6 dB\"", "Level; a range is drawn anew at each start, evenly in dB."},
                    &BookSound::gain)
          .quantity({"pitch", "\"0 st\"", "\"-1 st .. 1 st\"",
                     "Pitch; a range is drawn anew at each start, evenly in semitones. Speed goes with it."},
                    &BookSound::pitch)
          .quantity({"pan", "\"centre\"", "\"30 % left .. 30 % right\"",
                     "Where it stands between the speakers, at equal power; drawn anew at each start. Of a stereo clip it is the balance."},
                    &BookSound::pan)
          .word(
              {"place", "\"screen\"", "\"world\"",
               "Whether it is the same wherever one stands, or is heard from where its emitter is, or the place that came with the event."},
              of_world(&WorldDesign::place), where_words)
          .quantity({"near", "\"1 m\"", "\"3 m\"", "In the world: full level within."}, of_world(&WorldDesign::full_within))
          .quantity({"far", "\"100 m\"", "\"250 m\"", "In the world: nothing is heard from here on, and it takes no voice."},
                    of_world(&WorldDesign::silent_from))
          .quantity({"radius", "\"0.5 m\"", "\"6 m\"",
                     "In the world: the size of the thing itself. Inside it is heard at full level and from all round."},
                    of_world(&WorldDesign::radius))
          .special({"distance", "\"inverse\"", "[[\"2 m\", \"0 dB\"], [\"30 m\", \"-24 dB\"]]",
                    "In the world: how its level falls from near to far. By a law, or along points, evenly in dB between them. See below."},
                   "inverse, linear, exponential, or list of points")
          .amount({"rolloff", "\"100 %\"", "\"50 %\"", "In the world: how much quicker or slower it falls than the law says."},
                  of_world(&WorldDesign::rolloff))
          .special({"cone", "none", "{ inner = \"90 deg\", outer = \"200 deg\", outside = \"-12 dB\" }",
                    "In the world, of an emitter that faces somewhere: full level within the inner angle, `outside` beyond the outer, "
                    "evenly in dB between them. Whole angles: half to either side."},
                   "table")
          .amount({"doppler", "\"100 %\"", "\"50 %\"",
                   "In the world: how much of what speed does to its pitch. Only where the game tells speeds."},
                  of_world(&WorldDesign::doppler))
          .amount({"air", "\"100 %\"", "\"200 %\"", "In the world: how much of the treble that the way through air takes (ISO 9613-1)."},
                  of_world(&WorldDesign::air))
          .word({"when-gone", "\"by-kind\"", "\"stop\"",
                 "In the world: when its emitter is removed, it leaves by its fade-out, or finishes where it was; by kind, loops stop and "
                 "all else finishes."},
                of_world(&WorldDesign::when_gone), when_gone_words)
          .special({"follow", "none", "[ { gauge = \"throttle\", pitch = [[0, \"-5 st\"], [1, \"7 st\"]] } ]",
                    "How it goes by numbers from the game while it plays: by each gauge along curves. See below."},
                   "list of tables")
          .quantity({"delay", "\"0 s\"", "\"0 ms .. 40 ms\"", "How long after the event it starts, on top of the response's own delay."},
                    &BookSound::delay)
          .quantity(
              {"cadence", "once", "\"480 ms .. 540 ms\"",
               "It starts again and again, each time drawn and picked anew, until it is stopped: steps, oars, drips. The time from one "
               "to the next, to the exact frame."},
              &BookSound::cadence)
          .quantity({"low-pass", "none", "\"2 kHz .. 6 kHz\"",
                     "Takes away what is above: 12 dB an octave. A range is drawn anew at each start, evenly in octaves."},
                    &BookSound::low_pass)
          .quantity({"high-pass", "none", "\"120 Hz\"", "Takes away what is below: 12 dB an octave."}, &BookSound::high_pass)
          .word({"spread", "\"even\"", "\"middle\"", "Whether draws come evenly from the whole range, or more often from its middle."},
                &BookSound::towards_middle, spread_words)
          .special({"together", "none", "[\"gain\", \"pitch\"]",
                    "These are drawn with one number: low goes with low, high with high, as of things that are struck harder."},
                   "list of keys")
          .word({"retrigger", "\"overlap\"", "\"restart\"",
                 "What happens if it is asked for while it plays: both are heard, the old one leaves for the new, or the old one goes on "
                 "and the new "
                 "one is not started."},
                &BookSound::retrigger, retrigger_words)
          .quantity({"spacing", "\"0 s\"", "\"80 ms\"", "The least time between two starts; what comes sooner is not started."},
                    &BookSound::spacing)
          .whole({"limit", "none", "3", "The most of it that play at once. What has been told to go does not count."}, &BookSound::limit,
                 {{1}, {most_at_once}}, ": how many play at once")
          .word({"when-full", "\"oldest\"", "\"newest\"",
                 "With `limit`: who yields. The oldest, the quietest or the farthest leaves by its fade-out; `newest` is not started. With "
                 "`farthest` the new one is not started either if it is farther away than all others."},
                &BookSound::when_full, when_full_words)
          .word({"limit-for", "\"all\"", "\"each-emitter\"",
                 "Whether retrigger, spacing and limit look at all that play, or at those of the same emitter."},
                &BookSound::limit_each_emitter, all_or_each)
          .word({"quality", "the group's", "\"fine\"",
                 "How it is interpolated when its pitch varies: `fine` costs half as much again and is 30 dB cleaner."},
                &BookSound::quality, quality_words)
          .whole({"rank", "5", "8",
                  "How important it is when voices are short: the lowest rank loses its voice first; among equals the quietest, then the "
                  "oldest. "
                  "Loops and what is longer than two seconds keep their place and come back."},
                 &BookSound::rank, {{0}, {9}}, ": 0 is the first to lose its voice")
          .special({"loop", "false", "true", "Plays the clip round and round until it is stopped."}, "true or false")
          .special({"loop-between", "the whole clip", "\"1 s .. 3.5 s\"",
                    "What goes round: played from the start to the region's end, and from then on within the region. In seconds, in frames "
                    "of the "
                    "file (`\"48000 .. 96000 frames\"`), or as the file itself says (`\"from-file\"`: the loop points of WAV and AIFF)."},
                   "times, frames or from-file")
          .special({"loop-crossfade", "\"0 s\"", "\"50 ms\"",
                    "Blends the loop's end into its beginning, where it was not cut clean. Not for clips that stream."},
                   "time")
          .special({"start-at", "\"0 s\"", "\"anywhere\"",
                    "Where in the clip it begins; drawn anew at each start. `anywhere` is any place in the loop, so that two of a kind "
                    "never march "
                    "together."},
                   "time, range or anywhere")
          .special({"chance", "\"100 %\"", "\"30 %\"", "How often it is there at all."}, "share")
          .special({"stream", "by length", "true",
                    "Plays from disk, a quarter of a second kept in memory, so that it starts at once. Unless told, clips of more than 30 "
                    "s stream, "
                    "and shorter ones do not; what is shorter than 1 s never does."},
                   "true or false")
          .truth({"preload", "the group's", "false",
                  "Whether its clips are in memory from the moment its bank is loaded, as they are unless told. With `false` they are read "
                  "when it is first to be heard, a block or two later, or on `prefetch`."},
                 &BookSound::preload)
          .quantity({"fade-in", "\"0 s\"", "\"400 ms\"", "How long it takes to reach its level."}, &BookSound::fade_in)
          .quantity({"fade-out", "\"0 s\"", "\"1.2 s\"",
                     "How long it takes to leave when it is stopped. Even \"0 s\" takes 5 ms, so that it does not click."},
                    &BookSound::fade_out);
  return rows;
}

const RowsOf<BookLayer>& layer_rows() {
  static const RowsOf<BookLayer> rows =
      RowsOf<BookLayer>("layers")
          .special({"name", "its number", "\"low\"", "What the layer is called in journals and tables."}, "text")
          .special({"clips", "", "[\"low-*.flac\"]", "The clips to pick from."}, "as of a sound")
          .word({"pick", "\"shuffle\"", "\"random\"", "As of a sound."}, &BookLayer::pick, pick_words)
          .quantity({"gain", "\"0 dB\"", "\"-6 dB\"", "On top of the sound's own."}, &BookLayer::gain)
          .quantity({"pitch", "\"0 st\"", "\"-12 st\"", "On top of the sound's own."}, &BookLayer::pitch)
          .quantity({"delay", "\"0 s\"", "\"80 ms\"", "On top of the sound's own."}, &BookLayer::delay)
          .share({"chance", "\"100 %\"", "\"30 %\"", "How often the layer is there at all."}, &BookLayer::chance)
          .special({"follow", "none", "[ { gauge = \"throttle\", gain = [[0, \"silent\"], [1, \"0 dB\"]] } ]",
                    "On top of the sound's own: layers that come and go with a gauge."},
                   "list of tables")
          .special({"loop", "false", "true", "As of a sound."}, "true or false")
          .special({"loop-between", "the whole clip", "\"from-file\"", "As of a sound."}, "times, frames or from-file")
          .special({"loop-crossfade", "\"0 s\"", "\"50 ms\"", "As of a sound."}, "time")
          .special({"start-at", "\"0 s\"", "\"0 s .. 2 s\"", "As of a sound."}, "time, range or anywhere")
          .truth({"stream", "by length", "true", "As of a sound."}, &BookLayer::stream);
  return rows;
}

}  // namespace tidewater
