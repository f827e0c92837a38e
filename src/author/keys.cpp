#include "tidewater/author/book.hpp"

namespace tidewater {

const std::vector<BookKey>& book_keys() {
  static const std::vector<BookKey> keys = {
      {"book", "name", "text", "", "\"harbour\"", "What the book and its bank are called."},
      {"book", "clips", "folder", "\"clips\"", "\"clips\"", "Where the clips lie, relative to the book."},

      {"book", "soundfont", "file", "none", "\"small.sf2\"", "The instruments for MIDI clips, relative to the book."},

      {"groups", "parent", "name of a group", "\"master\"", "\"effects\"", "The group whose level this one obeys, too."},
      {"groups", "gain", "level", "\"0 dB\"", "\"-3 dB\"", "Level of everything in the group."},
      {"groups", "mute", "true or false", "false", "true", "Begins muted: its sounds run on unheard."},

      {"groups", "low-pass", "frequency", "none", "\"800 Hz\"", "Takes away what is above: 12 dB an octave."},
      {"groups", "high-pass", "frequency", "none", "\"60 Hz\"", "Takes away what is below: 12 dB an octave."},
      {"groups", "quality", "standard or fine", "the parent's", "\"fine\"", "For the sounds in the group that do not say themselves."},

      {"sounds", "group", "name of a group", "\"master\"", "\"effects\"", "The volume group that the sound belongs to."},
      {"sounds", "clips", "list of files or patterns", "", "[\"gangway-*.flac\"]",
       "The clips to pick from, relative to the folder of clips. `*` and `?` stand for any text and any one letter within a file's or "
       "folder's name; a new take that fits a pattern needs no edit."},
      {"sounds", "pick", "shuffle, random or in-order", "\"shuffle\"", "\"in-order\"",
       "How one clip is chosen at each start. `shuffle` plays each once before any repeats, and never one twice running; `random` draws "
       "any but the last; `in-order` goes round."},
      {"sounds", "gain", "level or range", "\"0 dB\"", "\"-9 dB .. -6 dB\"", "Level; a range is drawn anew at each start, evenly in dB."},
      {"sounds", "pitch", "pitch or range", "\"0 st\"", "\"-1 st .. 1 st\"",
       "Pitch; a range is drawn anew at each start, evenly in semitones. Speed goes with it."},
      {"sounds", "pan", "place or range", "\"centre\"", "\"30 % left .. 30 % right\"",
       "Where it stands between the speakers, at equal power; drawn anew at each start. Of a stereo clip it is the balance."},
      {"sounds", "low-pass", "frequency", "none", "\"2 kHz\"", "Takes away what is above: 12 dB an octave."},
      {"sounds", "high-pass", "frequency", "none", "\"120 Hz\"", "Takes away what is below: 12 dB an octave."},
      {"sounds", "quality", "standard or fine", "the group's", "\"fine\"",
       "How it is interpolated when its pitch varies: `fine` costs half as much again and is 30 dB cleaner."},
      {"sounds", "rank", "0 to 9", "5", "8",
       "How important it is when voices are short: the lowest rank loses its voice first; among equals the quietest, then the oldest. "
       "Loops and what is longer than two seconds keep their place and come back."},
      {"sounds", "loop", "true or false", "false", "true", "Plays the whole clip round and round until it is stopped."},
      {"sounds", "stream", "true or false", "by length", "true",
       "Plays from disk, a quarter of a second kept in memory, so that it starts at once. Unless told, clips of more than 30 s stream, "
       "and shorter ones do not; what is shorter than 1 s never does."},
      {"sounds", "fade-in", "time", "\"0 s\"", "\"400 ms\"", "How long it takes to reach its level."},
      {"sounds", "fade-out", "time", "\"0 s\"", "\"1.2 s\"",
       "How long it takes to leave when it is stopped. Even \"0 s\" takes 5 ms, so that it does not click."},

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
  };
  return keys;
}

}  // namespace tidewater
