/// The keys of tracks, their stems, parts and changes.

#include "author/book/keys.hpp"
#include "bank/fields.hpp"

namespace tidewater {
namespace {

constexpr std::array<std::string_view, 2> again_words = {"starts-over", "goes-on"};

/// The keys of a change that stand on a track itself.
void add_change_keys(RowsOf<TrackDesign>& rows) {
  rows.special(
          {"on", "\"now\"; \"bar\" with a tempo", "\"bar\"",
           "The boundary of a change to this track, or from it: at once, or the next beat, bar, part or end of the track that plays. The "
           "end of a track that loops is the end of its round; its ending then plays to its own end first."},
          "now, beat, bar, part or end")
      .special({"by", "\"cross\"; \"cut\" with a tempo", "\"cross\"",
                "The way from one track to the other: a `cut` of 5 ms, a `cross` at equal power, or a `bridge` that plays between them."},
               "cut, cross or bridge")
      .special({"over", "\"1 s\"", "\"2 bars\"", "Length of a `cross`."}, "time or number of bars")
      .special(
          {"bridge", "none", "\"rising\"", "The track that plays between the two. It must end by itself; the new track begins on its end."},
          "name of a track");
}

}  // namespace

const RowsOf<TrackDesign>& track_rows() {
  static const RowsOf<TrackDesign> rows = [] {
    RowsOf<TrackDesign> its("tracks");
    its.special({"clips", "", "[\"estuary.ogg\"]", "The clip of the track: an audio file, a tracker module or MIDI."}, "list of one file")
        .special({"stems", "none", "[ { name = \"drums\", clips = [\"drums.ogg\"] } ]",
                  "In place of clips: up to eight clips of one length that start together and stay together."},
                 "list of stems")
        .special({"sketch", "none", "{ source = \"pluck\", length = \"4 s\", notes = [\"0 st\", \"7 st\"] }",
                  "In place of clips: a placeholder made from a recipe, as of a sound."},
                 "name of a recipe, or table")
        .special(
            {"list", "none", "[\"calm\", \"drift\", \"dusk\"]",
             "In place of clips: a list of tracks that end by themselves. They play in shuffle, one after the other, until the stand is "
             "left."},
            "list of tracks")
        .quantity({"pause", "\"0 s\"", "\"10 s .. 30 s\"", "With `list`: the silence between two tracks; drawn anew each time."},
                  &TrackDesign::pause)
        .special({"group", "\"master\"", "\"music\"", "The volume group of the track."}, "name of a group")
        .special({"scope", "the group's", "\"world\"", "The scope of the track. Its pause holds the music, and its time scale slows it."},
                 "name of a scope")
        .words({"stand", "\"main\"", "\"street\"", "Tracks of one stand give way to one another: one of them plays at a time."},
               &TrackDesign::stand)
        .special({"gain", "\"0 dB\"", "\"-6 dB\"", "Level of the track."}, "level")
        .special({"rank", "9", "5", "Importance of the track when voices are short, as of a sound."}, "0 to 9")
        .special({"quality", "the group's", "\"fine\"", "As of a sound."}, "standard or fine")
        .special({"stream", "by length", "true", "As of a sound, for all stems alike."}, "true or false")
        .special({"preload", "the group's", "false", "As of a sound."}, "true or false")
        .quantity({"tempo", "none", "\"97 bpm\"", "Speed in beats a minute. A track without a tempo changes at once, or on its end."},
                  &TrackDesign::tempo)
        .special({"metre", "\"4/4\"", "\"3/4\"", "Beats of a bar, and the note that a beat is."}, "two numbers")
        .quantity(
            {"first-beat", "\"0 s\"", "\"480 ms\"",
             "Place of the first beat in the clip. The audio before it is the pick-up, which is heard before the boundary of a change."},
            &TrackDesign::first_beat)
        .special({"parts", "needed with a tempo", "[ { name = \"round\", bars = 8, loop = true } ]",
                  "The parts of the track in order, from the first beat on. Parts behind the one that loops are its ending."},
                 "list of parts")
        .special({"loop", "true", "false", "Of a track without a tempo: whether it goes round."}, "true or false")
        .special({"loop-between", "the whole clip", "\"1 s .. 3.5 s\"", "Of a track without a tempo, as of a sound."},
                 "times, frames or from-file")
        .special({"loop-crossfade", "\"0 s\"", "\"50 ms\"", "Of a track without a tempo, as of a sound."}, "time");
    add_change_keys(its);
    return its
        .special({"ending", "none", "\"last-bars\"", "The track that plays when this one is left on its end. It must end by itself."},
                 "name of a track")
        .word({"again", "\"starts-over\"", "\"goes-on\"",
               "The place at which the track begins when it comes again: its start, or the place where it was left."},
              &TrackDesign::goes_on, again_words)
        .special({"stop-after", "never", "\"32 bars\"",
                  "Time after which the track leaves, counted from its first beat, or from the place where it went on."},
                 "time or number of bars")
        .special({"fade-in", "\"0 s\"", "\"2 bars\"", "Length of the fade-in of a track before which nothing plays."},
                 "time or number of bars")
        .special({"fade-out", "\"0 s\"", "\"4 s\"", "Length of the fade-out of a track after which nothing plays."},
                 "time or number of bars")
        .special({"from", "none", "{ calm = { on = \"part\" } }",
                  "Changes from certain tracks: [tracks.NAME.from.OTHER] has keys that win over those of both tracks."},
                 "tables");
  }();
  return rows;
}

const RowsOf<BookLayer>& stem_rows() {
  static const RowsOf<BookLayer> rows =
      RowsOf<BookLayer>("stems")
          .special({"name", "its number", "\"drums\"", "Name of the stem in journals and tables."}, "text")
          .special({"clips", "", "[\"drums.ogg\"]", "The clip of the stem. All stems have one rate and one length."}, "list of one file")
          .special({"sketch", "none", "\"hum\"", "In place of clips, as of a track."}, "name of a recipe, or table")
          .quantity({"gain", "\"0 dB\"", "\"-6 dB\"", "On top of the track's own."}, &BookLayer::gain)
          .special({"follow", "none", "[ { gauge = \"danger\", gain = [[0, \"silent\"], [1, \"0 dB\"]] } ]",
                    "Gauges with which the stem comes and goes. A silent stem keeps its place in time."},
                   "list of tables");
  return rows;
}

const RowsOf<PartDesign>& part_rows() {
  static const RowsOf<PartDesign> rows =
      RowsOf<PartDesign>("parts")
          .words({"name", "its number", "\"round\"", "Name of the part."}, &PartDesign::name)
          .whole({"bars", "", "8", "Its length in bars."}, &PartDesign::bars, {{1}, {10'000}})
          .truth({"loop", "false", "true", "The part goes round until the track is left. At most one part of a track loops."},
                 &PartDesign::loop);
  return rows;
}

const RowsOf<ChangeDesign>& change_rows() {
  static const RowsOf<ChangeDesign> rows = [] {
    RowsOf<ChangeDesign> its("from");
    return its.word({"on", "as the tracks say", "\"part\"", "As of a track, for this pair."}, &ChangeDesign::on, on_words)
        .word({"by", "as the tracks say", "\"cross\"", "As of a track, for this pair."}, &ChangeDesign::by, by_words)
        .special({"over", "as the tracks say", "\"2 s\"", "As of a track, for this pair."}, "time or number of bars")
        .special({"bridge", "as the tracks say", "\"rising\"", "As of a track, for this pair."}, "name of a track");
  }();
  return rows;
}

}  // namespace tidewater
