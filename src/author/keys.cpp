#include "tidewater/author/book.hpp"

namespace tidewater {

const std::vector<BookKey>& book_keys() {
  static const std::vector<BookKey> keys = {
      {"book", "name", "text", "", "\"harbour\"", "What the book and its bank are called."},
      {"book", "clips", "folder", "\"clips\"", "\"clips\"", "Where the clips lie, relative to the book."},

      {"book", "soundfont", "file", "none", "\"small.sf2\"", "The instruments for MIDI clips, relative to the book."},

      {"book", "level", "loudness", "as the clips are", "\"-23 LUFS\"",
       "Brings every clip to this loudness before any gain, as far as its peaks stay below -1 dBTP."},

      {"groups", "parent", "name of a group", "\"master\"", "\"effects\"", "The group whose level this one obeys, too."},
      {"groups", "gain", "level", "\"0 dB\"", "\"-3 dB\"", "Level of everything in the group."},
      {"groups", "mute", "true or false", "false", "true", "Begins muted: its sounds run on unheard."},

      {"groups", "low-pass", "frequency", "none", "\"800 Hz\"", "Takes away what is above: 12 dB an octave."},
      {"groups", "high-pass", "frequency", "none", "\"60 Hz\"", "Takes away what is below: 12 dB an octave."},
      {"groups", "quality", "standard or fine", "the parent's", "\"fine\"", "For the sounds in the group that do not say themselves."},

      {"groups", "level", "loudness", "the parent's", "\"-20 LUFS\"", "The loudness that the clips of the group's sounds are brought to."},

      {"sounds", "group", "name of a group", "\"master\"", "\"effects\"", "The volume group that the sound belongs to."},
      {"sounds", "like", "name of a sound", "none", "\"gangway\"",
       "Takes over every key of that sound that this one does not have itself; `tidewater show` prints the result."},
      {"sounds", "clips", "list of files or patterns, or table by trait", "", "[\"gangway-*.flac\"]",
       "The clips to pick from, relative to the folder of clips. `*` and `?` stand for any text and any one letter within a file's or "
       "folder's name; a new take that fits a pattern needs no edit. See below for weights and traits."},
      {"sounds", "layers", "list of layers", "none", "[ { clips = [\"low.flac\"] }, { clips = [\"high.flac\"] } ]",
       "In place of clips: parts that start together, each with keys of its own."},
      {"sounds", "sketch", "name of a recipe, or table", "none", "{ like = \"step\", variants = 5 }",
       "In place of clips: placeholders made from a recipe. `tidewater sketch --list` names the ready ones."},
      {"sounds", "pick", "shuffle, random or in-order", "\"shuffle\"", "\"in-order\"",
       "How one clip is chosen at each start. `shuffle` plays each once before any repeats, and never one twice running; `random` draws "
       "any but the last, by weight; `in-order` goes round."},
      {"sounds", "pick-for", "all or each-emitter", "\"all\"", "\"each-emitter\"",
       "Whether all that sounds shuffles together, or each emitter by itself."},
      {"sounds", "gain", "level or range", "\"0 dB\"", "\"-9 dB .. -6 dB\"", "Level; a range is drawn anew at each start, evenly in dB."},
      {"sounds", "pitch", "pitch or range", "\"0 st\"", "\"-1 st .. 1 st\"",
       "Pitch; a range is drawn anew at each start, evenly in semitones. Speed goes with it."},
      {"sounds", "pan", "place or range", "\"centre\"", "\"30 % left .. 30 % right\"",
       "Where it stands between the speakers, at equal power; drawn anew at each start. Of a stereo clip it is the balance."},
      {"sounds", "delay", "time or range", "\"0 s\"", "\"0 ms .. 40 ms\"",
       "How long after the event it starts, on top of the response's own delay."},
      {"sounds", "low-pass", "frequency or range", "none", "\"2 kHz .. 6 kHz\"",
       "Takes away what is above: 12 dB an octave. A range is drawn anew at each start, evenly in octaves."},
      {"sounds", "high-pass", "frequency", "none", "\"120 Hz\"", "Takes away what is below: 12 dB an octave."},
      {"sounds", "spread", "even or middle", "\"even\"", "\"middle\"",
       "Whether draws come evenly from the whole range, or more often from its middle."},
      {"sounds", "together", "list of keys", "none", "[\"gain\", \"pitch\"]",
       "These are drawn with one number: low goes with low, high with high, as of things that are struck harder."},
      {"sounds", "retrigger", "overlap, restart or ignore", "\"overlap\"", "\"restart\"",
       "What happens if it is asked for while it plays: both are heard, the old one leaves for the new, or the old one goes on and the new "
       "one is not started."},
      {"sounds", "spacing", "time", "\"0 s\"", "\"80 ms\"", "The least time between two starts; what comes sooner is not started."},
      {"sounds", "limit", "1 to 4096", "none", "3", "The most of it that play at once. What has been told to go does not count."},
      {"sounds", "when-full", "oldest, quietest or newest", "\"oldest\"", "\"newest\"",
       "With `limit`: who yields. The oldest or the quietest leaves by its fade-out; `newest` is not started."},
      {"sounds", "limit-for", "all or each-emitter", "\"all\"", "\"each-emitter\"",
       "Whether retrigger, spacing and limit look at all that play, or at those of the same emitter."},
      {"sounds", "quality", "standard or fine", "the group's", "\"fine\"",
       "How it is interpolated when its pitch varies: `fine` costs half as much again and is 30 dB cleaner."},
      {"sounds", "rank", "0 to 9", "5", "8",
       "How important it is when voices are short: the lowest rank loses its voice first; among equals the quietest, then the oldest. "
       "Loops and what is longer than two seconds keep their place and come back."},
      {"sounds", "loop", "true or false", "false", "true", "Plays the clip round and round until it is stopped."},
      {"sounds", "loop-between", "times, frames or from-file", "the whole clip", "\"1 s .. 3.5 s\"",
       "What goes round: played from the start to the region's end, and from then on within the region. In seconds, in frames of the "
       "file (`\"48000 .. 96000 frames\"`), or as the file itself says (`\"from-file\"`: the loop points of WAV and AIFF)."},
      {"sounds", "loop-crossfade", "time", "\"0 s\"", "\"50 ms\"", "Blends the loop's end into its beginning, where it was not cut clean."},
      {"sounds", "start-at", "time, range or anywhere", "\"0 s\"", "\"anywhere\"",
       "Where in the clip it begins; drawn anew at each start. `anywhere` is any place in the loop, so that two of a kind never march "
       "together."},
      {"sounds", "chance", "share", "\"100 %\"", "\"30 %\"", "How often it is there at all."},
      {"sounds", "stream", "true or false", "by length", "true",
       "Plays from disk, a quarter of a second kept in memory, so that it starts at once. Unless told, clips of more than 30 s stream, "
       "and shorter ones do not; what is shorter than 1 s never does."},
      {"sounds", "fade-in", "time", "\"0 s\"", "\"400 ms\"", "How long it takes to reach its level."},
      {"sounds", "fade-out", "time", "\"0 s\"", "\"1.2 s\"",
       "How long it takes to leave when it is stopped. Even \"0 s\" takes 5 ms, so that it does not click."},

      {"layers", "name", "text", "its number", "\"low\"", "What the layer is called in journals and tables."},
      {"layers", "clips", "as of a sound", "", "[\"low-*.flac\"]", "The clips to pick from."},
      {"layers", "pick", "shuffle, random or in-order", "\"shuffle\"", "\"random\"", "As of a sound."},
      {"layers", "gain", "level or range", "\"0 dB\"", "\"-6 dB\"", "On top of the sound's own."},
      {"layers", "pitch", "pitch or range", "\"0 st\"", "\"-12 st\"", "On top of the sound's own."},
      {"layers", "delay", "time or range", "\"0 s\"", "\"80 ms\"", "On top of the sound's own."},
      {"layers", "chance", "share", "\"100 %\"", "\"30 %\"", "How often the layer is there at all."},
      {"layers", "loop", "true or false", "false", "true", "As of a sound."},
      {"layers", "loop-between", "times, frames or from-file", "the whole clip", "\"from-file\"", "As of a sound."},
      {"layers", "loop-crossfade", "time", "\"0 s\"", "\"50 ms\"", "As of a sound."},
      {"layers", "start-at", "time, range or anywhere", "\"0 s\"", "\"0 s .. 2 s\"", "As of a sound."},
      {"layers", "stream", "true or false", "by length", "true", "As of a sound."},

      {"sketch", "like", "name of a recipe", "none", "\"step\"", "Begins with a ready recipe; the keys below change it."},
      {"sketch", "source", "tone, noise, pluck, bell or crackle", "\"tone\"", "\"noise\"", "What it is made of."},
      {"sketch", "pitch", "frequency", "\"440 Hz\"", "\"220 Hz\"", "Where it begins; of crackle, how many sparks a second."},
      {"sketch", "glide", "pitch", "\"0 st\"", "\"-12 st\"", "How far the pitch has moved at the end."},
      {"sketch", "notes", "list of pitches", "one note", "[\"0 st\", \"7 st\"]",
       "Played one after the other, in equal parts of its length."},
      {"sketch", "length", "time", "\"300 ms\"", "\"1.2 s\"", "How long it is; a minute at most."},
      {"sketch", "attack", "time", "\"3 ms\"", "\"80 ms\"", "How long it takes to reach its level; then it dies away to its end."},
      {"sketch", "hold", "true or false", "false", "true", "Keeps its level, and its ends meet: for a loop."},
      {"sketch", "low-pass", "frequency", "none", "\"2 kHz\"", "Takes away what is above."},
      {"sketch", "high-pass", "frequency", "none", "\"120 Hz\"", "Takes away what is below."},
      {"sketch", "level", "level", "\"-20 dB\"", "\"-26 dB\"", "Of its peak: quiet, so that it does not get loved."},
      {"sketch", "variants", "1 to 64", "1", "5", "How many clips, each a little different in pitch, length and colour."},
      {"sketch", "seed", "whole number", "1", "7", "Of everything that is drawn: another seed is another take."},

      {"events", "start", "name of a sound", "", "\"gangway\"", "The event starts this sound: short for a single response."},
      {"events", "stop", "name of a sound", "", "\"engine\"", "The event stops this sound: short for a single response."},
      {"events", "delay", "time", "\"0 s\"", "\"300 ms\"", "With `start`: how long after the event."},
      {"events", "fade", "time", "the sound's fade-out", "\"2 s\"", "With `stop`: how long the fade takes."},
      {"events", "responses", "list of responses", "", "[ { stop = \"engine\" }, { start = \"gangway\" } ]",
       "Several responses, carried out in order."},

      {"responses", "start", "name of a sound", "", "\"gangway\"", "Starts this sound."},
      {"responses", "stop", "name of a sound", "", "\"engine\"", "Stops every playback of this sound."},
      {"responses", "delay", "time", "\"0 s\"", "\"300 ms\"", "With `start`: how long after the event, to the exact frame."},
      {"responses", "fade", "time", "the sound's fade-out", "\"2 s\"", "With `stop`: how long the fade takes."},

      {"credits", "clips", "list of files, patterns or folders", "", "[\"steps/\", \"gull-*.flac\"]",
       "What it is about; a folder ends in a slash."},
      {"credits", "licence", "text", "", "\"CC-BY-4.0\"", "An SPDX name, or words."},
      {"credits", "author", "text", "not named", "\"Ada of Kelp Quay\"", "Who made it."},
      {"credits", "source", "text", "none", "\"Estuary at dawn\"", "What it was taken from."},
      {"credits", "link", "text", "none", "\"https://example.org/estuary\"", "Where it is to be found."},

      {"accepted", "advice", "kind of advice", "", "\"leading-silence\"", "The advice that is not to be given again."},
      {"accepted", "about", "clip, sound or pattern", "all", "\"gull-*.flac\"", "What it was about."},
      {"accepted", "reason", "text", "", "\"the breath before the cry belongs to it\"", "Why, for those who come after."},
  };
  return keys;
}

}  // namespace tidewater
