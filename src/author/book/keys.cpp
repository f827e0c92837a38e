#include "author/book/keys.hpp"

namespace tidewater {
namespace {

constexpr std::int64_t most_at_once = 4096;  // of one sound: as many as there can be voices

constexpr std::array<std::string_view, 2> all_or_each = {"all", "each-emitter"};
constexpr std::array<std::string_view, 2> spread_words = {"even", "middle"};
constexpr std::array<std::string_view, 5> source_words = {"tone", "noise", "pluck", "bell", "crackle"};

template <class T>
auto of_world(T WorldDesign::*member) {
  return [member](BookSound& sound) -> T& { return sound.world.*member; };
}

template <class T>
auto of_recipe(T Recipe::*member) {
  return [member](SketchPlan& plan) -> T& { return plan.recipe.*member; };
}

}  // namespace

const RowsOf<Book>& head_rows() {
  static const RowsOf<Book> rows =
      RowsOf<Book>("book")
          .special({"name", "", "\"harbour\"", "What the book and its bank are called."}, "text")
          .special({"clips", "\"clips\"", "\"clips\"", "Where the clips lie, relative to the book."}, "folder")
          .special({"soundfont", "none", "\"small.sf2\"", "The instruments for MIDI clips, relative to the book."}, "file")
          .special({"speech", "none", "\"speech\"",
                    "The folder of clips that has a folder for each language; sounds name the clips of the first."},
                   "folder")
          .special({"languages", "none", "[\"en\", \"de\"]",
                    "Names of these folders. A bank with speech is packed once for each; what is not recorded yet is spoken in the first."},
                   "list of languages")
          .loudness({"level", "as the clips are", "\"-23 LUFS\"",
                     "Brings every clip to this loudness before any gain, as far as its peaks stay below -1 dBTP."},
                    &Book::level);
  return rows;
}

const RowsOf<BookGroup>& group_rows() {
  static const RowsOf<BookGroup> rows =
      RowsOf<BookGroup>("groups")
          .special({"parent", "\"master\"", "\"effects\"", "The group whose level this one obeys, too."}, "name of a group")
          .quantity({"gain", "\"0 dB\"", "\"-3 dB\"", "Level of everything in the group."}, &BookGroup::gain)
          .truth({"mute", "false", "true", "Begins muted: its sounds run on unheard."}, &BookGroup::muted)
          .quantity({"low-pass", "none", "\"800 Hz\"", "Takes away what is above: 12 dB an octave."}, &BookGroup::low_pass)
          .quantity({"high-pass", "none", "\"60 Hz\"", "Takes away what is below: 12 dB an octave."}, &BookGroup::high_pass)
          .word({"quality", "the parent's", "\"fine\"", "For the sounds in the group that do not say themselves."}, &BookGroup::quality,
                quality_words)
          .loudness({"level", "the parent's", "\"-20 LUFS\"", "The loudness that the clips of the group's sounds are brought to."},
                    &BookGroup::level)
          .truth({"preload", "the parent's", "false", "For the sounds in the group that do not say themselves."}, &BookGroup::preload);
  return rows;
}

const RowsOf<BookGauge>& gauge_rows() {
  static const RowsOf<BookGauge> rows =
      RowsOf<BookGauge>("gauges")
          .special({"from", "0", "-1", "The least that it can be, in the game's own unit; what is below counts as this."}, "number")
          .special({"to", "1", "7000", "The most that it can be."}, "number")
          .special({"default", "its from", "0.2", "What it is until the game says so."}, "number")
          .quantity({"smoothing", "\"60 ms\"", "\"300 ms\"",
                     "About how long what follows it takes to be where it says, so that a jump is heard as a move."},
                    &BookGauge::smoothing);
  return rows;
}

const RowsOf<FollowDesign>& follow_rows() {
  static const RowsOf<FollowDesign> rows =
      RowsOf<FollowDesign>("follow")
          .special(
              {"gauge", "", "\"throttle\"",
               "The gauge that bends it: one of [gauges.NAME], or distance, angle, speed or height, which need no code of the game's."},
              "name of a gauge")
          .word({"between", "\"linear\"", "\"smooth\"",
                 "How each curve goes from point to point: straight, without corners, or with steps at the points."},
                &FollowDesign::between, between_words)
          .special({"gain", "none", "[[0, \"-18 dB\"], [1, \"0 dB\"]]", "Added to its level. `silent` is a level."}, "list of points")
          .special({"pitch", "none", "[[0, \"-5 st\"], [1, \"7 st\"]]", "Added to its pitch."}, "list of points")
          .special({"low-pass", "none", "[[0, \"500 Hz\"], [1, \"none\"]]", "The lowest of all its low-passes counts."}, "list of points")
          .special({"high-pass", "none", "[[0, \"none\"], [1, \"400 Hz\"]]", "The highest of all its high-passes counts."},
                   "list of points")
          .special({"cadence", "none", "[[0, \"x0\"], [1, \"x2\"]]",
                    "Of a sound with a cadence: how many times as often it starts. With `x0` it waits."},
                   "list of points");
  return rows;
}

const RowsOf<BookSound>& sound_rows() {
  static const RowsOf<BookSound> rows =
      RowsOf<BookSound>("sounds")
          .special({"group", "\"master\"", "\"effects\"", "The volume group that the sound belongs to."}, "name of a group")
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
                 "In the world: when its emitter is given up, it leaves by its fade-out, or finishes where it was; by kind, loops stop and "
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
                 "With `limit`: who yields. The oldest or the quietest leaves by its fade-out; `newest` is not started."},
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
          .special({"loop-crossfade", "\"0 s\"", "\"50 ms\"", "Blends the loop's end into its beginning, where it was not cut clean."},
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

const RowsOf<SketchPlan>& sketch_rows() {
  static const RowsOf<SketchPlan> rows =
      RowsOf<SketchPlan>("sketch")
          .special({"like", "none", "\"step\"", "Begins with a ready recipe; the keys below change it."}, "name of a recipe")
          .word({"source", "\"tone\"", "\"noise\"", "What it is made of."}, of_recipe(&Recipe::source), source_words)
          .quantity({"pitch", "\"440 Hz\"", "\"220 Hz\"", "Where it begins; of crackle, how many sparks a second."},
                    of_recipe(&Recipe::pitch))
          .quantity({"glide", "\"0 st\"", "\"-12 st\"", "How far the pitch has moved at the end."}, of_recipe(&Recipe::glide))
          .special({"notes", "one note", "[\"0 st\", \"7 st\"]", "Played one after the other, in equal parts of its length."},
                   "list of pitches")
          .quantity({"length", "\"300 ms\"", "\"1.2 s\"", "How long it is; a minute at most."}, of_recipe(&Recipe::length))
          .quantity({"attack", "\"3 ms\"", "\"80 ms\"", "How long it takes to reach its level; then it dies away to its end."},
                    of_recipe(&Recipe::attack))
          .truth({"hold", "false", "true", "Keeps its level, and its ends meet: for a loop."}, of_recipe(&Recipe::hold))
          .quantity({"low-pass", "none", "\"2 kHz\"", "Takes away what is above."}, of_recipe(&Recipe::low_pass))
          .quantity({"high-pass", "none", "\"120 Hz\"", "Takes away what is below."}, of_recipe(&Recipe::high_pass))
          .quantity({"level", "\"-20 dB\"", "\"-26 dB\"", "Of its peak: quiet, so that it does not get loved."}, of_recipe(&Recipe::level))
          .whole({"variants", "1", "5", "How many clips, each a little different in pitch, length and colour."}, &SketchPlan::variants,
                 {{1}, {64}})
          .whole({"seed", "1", "7", "Of everything that is drawn: another seed is another take."}, &SketchPlan::seed,
                 {{1}, {std::int64_t{1} << 53}});
  return rows;
}

namespace {

/// The keys of a response, by itself or in a list.
RowsOf<BookResponse> rows_of_response(std::string_view section, std::string_view started, std::string_view stopped) {
  return RowsOf<BookResponse>(section)
      .special({"start", "", "\"gangway\"", started}, "name of a sound")
      .special({"stop", "", "\"engine\"", stopped}, "name of a sound")
      .quantity({"delay", "\"0 s\"", "\"300 ms\"", "With `start`: how long after the event, to the exact frame."}, &BookResponse::delay)
      .quantity({"fade", "the sound's fade-out", "\"2 s\"", "With `stop`: how long the fade takes."}, &BookResponse::time);
}

}  // namespace

const RowsOf<BookResponse>& event_rows() {
  static const RowsOf<BookResponse> rows =
      rows_of_response("events", "The event starts this sound: short for a single response.",
                       "The event stops every playback of this sound: short for a single response.")
          .special({"responses", "", "[ { stop = \"engine\" }, { start = \"gangway\" } ]", "Several responses, carried out in order."},
                   "list of responses");
  return rows;
}

const RowsOf<BookResponse>& response_rows() {
  static const RowsOf<BookResponse> rows = rows_of_response("responses", "Starts this sound.", "Stops every playback of this sound.");
  return rows;
}

const RowsOf<BookBank>& bank_rows() {
  static const RowsOf<BookBank> rows =
      RowsOf<BookBank>("banks")
          .special({"events", "needed, or `clips`", "[\"ferry.*\", \"rain.began\"]",
                    "What the bank has; the sounds and clips that they need come along."},
                   "list of events or patterns")
          .special({"clips", "none", "[\"hum*\"]", "In place of events: clips that the bank has for others that need it."},
                   "list of files, patterns or folders")
          .special({"needs", "none", "[\"common\"]", "Banks with `clips`, loaded before this one, which leaves out what they have."},
                   "list of banks");
  return rows;
}

namespace {

template <class Into>
RowsOf<Into> ways_of(std::string_view section, std::string_view otherwise) {
  const auto standard = [&](std::string_view of_all) { return otherwise.empty() ? of_all : otherwise; };
  return RowsOf<Into>(section)
      .word(
          {"samples", standard("\"exact\""), "\"16-bit\"",
           "Of what is in memory: `16-bit` takes half the room where clips are finer than that, with dither; `exact` only where nothing is "
           "lost."},
          &Into::samples, samples_words)
      .truth({"mono", standard("false"), "true", "Brings clips of two channels to one, of the same power."}, &Into::mono)
      .quantity({"stream-from", standard("\"30 s\""), "\"10 s\"", "Clips longer than this stream, where their sound does not say."},
                &Into::stream_from)
      .word({"codec", standard("\"as-it-is\""), "\"opus\"",
             "Of what streams: its file as it is, or encoded anew. Opus is at 48 kHz whatever the rate. A loop is FLAC where this has "
             "losses, or stays as it is where its file has them: else its ends would not meet."},
            &Into::codec, codec_words)
      .share({"quality", standard("\"50 %\""), "\"70 %\"", "Of Vorbis and Opus."}, &Into::quality);
}

}  // namespace

const RowsOf<BookTarget>& target_rows() {
  static const RowsOf<BookTarget> rows =
      ways_of<BookTarget>("targets", "")
          .quantity({"rate", "\"48 kHz\"", "\"32 kHz\"", "Of all clips in the banks; what streams is brought to it as it plays."},
                    &BookTarget::rate)
          .word({"names", "\"kept\"", "\"stripped\"",
                 "Whether banks have the names of events, sounds, groups, clips and traits. Where they are stripped, a game finds what it "
                 "asks for "
                 "all the same, nobody who looks into a bank reads what is coming, and `tidewater journal --names` has them from a file "
                 "beside it."},
                &BookTarget::names, names_words)
          .special({"languages", "all of the book", "[\"en\"]", "Those that are packed."}, "list of languages")
          .special({"groups", "none", "{ music = { quality = \"80 %\" } }",
                    "What is otherwise for sounds in a group and below: [targets.NAME.groups.GROUP]."},
                   "tables");
  return rows;
}

const RowsOf<BookWays>& way_rows() {
  static const RowsOf<BookWays> rows = ways_of<BookWays>("targets.groups", "the parent's");
  return rows;
}

const RowsOf<BookCredit>& credit_rows() {
  static const RowsOf<BookCredit> rows =
      RowsOf<BookCredit>("credits")
          .special({"clips", "", "[\"steps/\", \"gull-*.flac\"]", "What it is about; a folder ends in a slash."},
                   "list of files, patterns or folders")
          .words({"licence", "", "\"CC-BY-4.0\"", "An SPDX name, or words."}, &BookCredit::licence)
          .words({"author", "not named", "\"Ada of Kelp Quay\"", "Who made it."}, &BookCredit::author)
          .words({"source", "none", "\"Estuary at dawn\"", "What it was taken from."}, &BookCredit::source)
          .words({"link", "none", "\"https://example.org/estuary\"", "Where it is to be found."}, &BookCredit::link);
  return rows;
}

const RowsOf<BookAccepted>& accepted_rows() {
  static const RowsOf<BookAccepted> rows =
      RowsOf<BookAccepted>("accepted")
          .words({"advice", "", "\"leading-silence\"", "The advice that is not to be given again."}, &BookAccepted::advice,
                 "kind of advice")
          .words({"about", "all", "\"gull-*.flac\"", "What it was about."}, &BookAccepted::about, "clip, sound or pattern")
          .words({"reason", "", "\"the breath before the cry belongs to it\"", "Why, for those who come after."}, &BookAccepted::reason);
  return rows;
}

const std::vector<BookKey>& book_keys() {
  static const std::vector<BookKey> keys = [] {
    std::vector<BookKey> all;
    const auto add = [&](const auto& table) {
      for (const auto& row : table.rows()) all.push_back(row.says);
    };
    add(head_rows());
    add(group_rows());
    add(gauge_rows());
    add(sound_rows());
    add(layer_rows());
    add(follow_rows());
    add(sketch_rows());
    add(event_rows());
    add(response_rows());
    add(bank_rows());
    add(target_rows());
    add(way_rows());
    add(credit_rows());
    add(accepted_rows());
    return all;
  }();
  return keys;
}

}  // namespace tidewater
