#include "author/book/keys.hpp"

namespace tidewater {
namespace {

constexpr std::array<std::string_view, 5> source_words = {"tone", "noise", "pluck", "bell", "crackle"};

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
          .whole({"limit", "none", "1",
                  "The most playbacks at once, of all sounds in the group and in the groups below it: one line of speech at a time. "
                  "Playbacks that are fading out, or too far away to be heard, do not count."},
                 &BookGroup::limit, {{1}, {most_at_once}}, ": how many play at once")
          .word({"when-full", "\"oldest\"", "\"newest\"",
                 "With `limit`: who yields, as for a sound. A playback leaves by the fade-out of its own sound."},
                &BookGroup::when_full, when_full_words)
          .word({"quality", "the parent's", "\"fine\"", "For the sounds in the group that do not say themselves."}, &BookGroup::quality,
                quality_words)
          .loudness({"level", "the parent's", "\"-20 LUFS\"", "The loudness that the clips of the group's sounds are brought to."},
                    &BookGroup::level)
          .truth({"preload", "the parent's", "false", "For the sounds in the group that do not say themselves."}, &BookGroup::preload)
          .words({"scope", "the parent's", "\"world\"", "The scope of the sounds in the group that name none."}, &BookGroup::scope,
                 "name of a scope")
          .truth({"player", "false", "true", "Offers the group to the player's settings: a level and a switch."}, &BookGroup::player)
          .special({"duck", "none", "[ { for = \"voices\", by = \"-8 dB\" } ]",
                    "Lowers the group while another one is heard. Of several ducks the deepest counts."},
                   "list of up to 4 tables");
  return rows;
}

const RowsOf<DuckDesign>& duck_rows() {
  static const RowsOf<DuckDesign> rows =
      RowsOf<DuckDesign>("duck")
          .words({"for", "needed", "\"voices\"", "The group that lowers this one while it is heard, with all groups below it."},
                 &DuckDesign::key, "name of a group")
          .quantity({"by", "needed", "\"-8 dB\"", "How much lower: down to -60 dB."}, &DuckDesign::by)
          .quantity({"from", "\"-40 dB\"", "\"-50 dB\"",
                     "The level from which the other group counts as heard, in dB below full scale, after its own level."},
                    &DuckDesign::from)
          .quantity({"attack", "\"80 ms\"", "\"30 ms\"", "How long the way down takes."}, &DuckDesign::attack)
          .quantity({"hold", "\"300 ms\"", "\"1 s\"",
                     "How long the level stays down after the other group was last heard. Shorter pauses of speech do not bring it up."},
                    &DuckDesign::hold)
          .quantity({"release", "\"600 ms\"", "\"1.5 s\"", "How long the way up takes."}, &DuckDesign::release);
  return rows;
}

const RowsOf<BookMood>& mood_rows() {
  static const RowsOf<BookMood> rows =
      RowsOf<BookMood>("moods")
          .whole({"rank", "5", "7", "Of several moods that change the same thing of a group, the one of the highest rank holds."},
                 &BookMood::rank, {{0}, {9}})
          .quantity({"fade-in", "\"300 ms\"", "\"1 s\"", "How long the changes take when the mood begins."}, &BookMood::fade_in)
          .quantity({"fade-out", "\"300 ms\"", "\"2 s\"", "How long the changes take when the mood ends."}, &BookMood::fade_out)
          .special({"groups", "needed", "{ music = { gain = \"-6 dB\", low-pass = \"900 Hz\" } }",
                    "What changes for each group, with the groups below it: [moods.NAME.groups.GROUP]."},
                   "tables");
  return rows;
}

const RowsOf<MoodGroupDesign>& mood_group_rows() {
  static const RowsOf<MoodGroupDesign> rows =
      RowsOf<MoodGroupDesign>("moods.groups")
          .special({"gain", "as without the mood", "\"-12 dB\"", "A change of the group's level, on top of its own; or `silent`."}, "level")
          .quantity({"low-pass", "as without the mood", "\"900 Hz\"",
                     "A low-pass filter. If the group has one of its own, the lower frequency holds."},
                    &MoodGroupDesign::low_pass)
          .quantity({"high-pass", "as without the mood", "\"200 Hz\"",
                     "A high-pass filter. If the group has one of its own, the higher frequency holds."},
                    &MoodGroupDesign::high_pass);
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

const RowsOf<BookScope>& scope_rows() {
  static const RowsOf<BookScope> rows =
      RowsOf<BookScope>("scopes")
          .special({"parent", "\"root\"", "\"world\"", "The scope above this one: its pauses, time scale and end include this scope."},
                   "name of a scope")
          .quantity({"fade-out", "\"0 s\"", "\"400 ms\"", "How long the fade of its sounds takes when the scope ends."},
                    &BookScope::fade_out)
          .quantity({"pause-fade", "\"10 ms\"", "\"80 ms\"", "How long the fade of its sounds takes before a pause, and after it."},
                    &BookScope::pause_fade)
          .quantity(
              {"grace", "\"1 s\"", "\"3 s\"", "After a restart of the scope: how long its loops play on unless they are asked for again."},
              &BookScope::grace)
          .words({"mood", "none", "\"below-deck\"", "A mood that is in force while the scope runs: from its begin to its end."},
                 &BookScope::mood, "name of a mood");
  return rows;
}

const RowsOf<BookTraitValues>& trait_rows() {
  static const RowsOf<BookTraitValues> rows = RowsOf<BookTraitValues>("traits").special(
      {"values", "", "[\"planks\", \"steel\"]",
       "All values that the trait can have. Another one is an error in the book, and a notice in play."},
      "list of texts");
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
          .word({"on", "at once", "\"bar\"",
                 "Of a stem: a new value of the gauge counts from the next beat, bar, part or end of the track on. The change takes the "
                 "gauge's "
                 "smoothing."},
                &FollowDesign::on, on_words)
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
RowsOf<BookResponse> rows_of_response(std::string_view section) {
  return RowsOf<BookResponse>(section)
      .special({"start", "a verb is needed", "\"gangway\"", "Starts this sound."}, "name of a sound")
      .special({"stop", "a verb is needed", "\"engine\"", "Stops the playbacks of this sound that `for` selects."}, "name of a sound")
      .special({"fade", "a verb is needed", "\"engine\"",
                "Brings this sound to the level `to`. Beside `stop` and `leave`: how long the fade takes, such as `\"2 s\"`."},
               "name of a sound, or time")
      .special({"pause", "a verb is needed", "\"engine\"", "Fades this sound out over 10 ms and keeps its place until a `resume`."},
               "name of a sound")
      .special({"resume", "a verb is needed", "\"engine\"", "Resumes this sound where a `pause` left it."}, "name of a sound")
      .special({"gauge", "a verb is needed", "\"throttle\"", "Sets this gauge to `to`; with an emitter, the emitter's own."},
               "name of a gauge")
      .special({"level", "a verb is needed", "\"music\"", "Brings this group to the level `to`."}, "name of a group")
      .special({"mute", "a verb is needed", "\"music\"", "Mutes this group."}, "name of a group")
      .special({"unmute", "a verb is needed", "\"music\"", "Lets this group be heard again."}, "name of a group")
      .special({"raise", "a verb is needed", "\"gulls.flew\"", "Raises this event, with the traits, emitter and scope of this one."},
               "name of an event")
      .special({"call-off", "", "\"ferry.docked\"", "Removes the delayed responses and starts of this event."}, "name of an event")
      .special({"play", "a verb is needed", "\"storm\"", "Plays this track. The track that plays on its stand gives way to it."},
               "name of a track")
      .special({"leave", "a verb is needed", "\"main\"", "Ends the music on this stand."}, "name of a stand")
      .special({"begin-mood", "a verb is needed", "\"below-deck\"", "Begins this mood."}, "name of a mood")
      .special({"end-mood", "a verb is needed", "\"below-deck\"", "Ends this mood."}, "name of a mood")
      .word({"on", "at once", "\"beat\"",
             "With `start`: on the next beat, bar, part or end of the music on the stand `main`. With `leave`: where the music ends, in "
             "place of the track's own `on`."},
            &BookResponse::on, on_words)
      .special({"to", "", "\"-6 dB\"", "With `fade` and `level`: the level; with `gauge`: its value, a number."}, "level or number")
      .special({"over", "at once", "\"2 s\"", "With `fade` and `level`: how long the change takes."}, "time")
      .special({"gain", "\"0 dB\"", "\"-3 dB\"", "With `start` and `raise`: added to the level of what starts."}, "level")
      .special({"for", "the emitter, or all without one", "\"all\"",
                "Which playbacks: those of the raise's `emitter`, `all`, those in the raise's `scope`, or those of the same `action`."},
               "emitter, all, scope or action")
      .quantity(
          {"delay", "\"0 s\"", "\"300 ms .. 1 s\"",
           "How long after the event. A start is heard on its exact frame; all else is carried out by the first call on or after it."},
          &BookResponse::delay)
      .special({"chance", "\"100 %\"", "\"25 %\"", "How often the event carries the response out."}, "share")
      .special({"when", "always", "{ surface = \"steel\" }", "Only if the raise has these traits; of a list of values one is enough."},
               "traits and values");
}

}  // namespace

const RowsOf<BookResponse>& event_rows() {
  static const RowsOf<BookResponse> rows = rows_of_response("events").special(
      {"responses", "", "[ { stop = \"engine\" }, { start = \"gangway\" } ]", "Several responses, carried out in order."},
      "list of responses");
  return rows;
}

const RowsOf<BookResponse>& response_rows() {
  static const RowsOf<BookResponse> rows = rows_of_response("responses");
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
    add(duck_rows());
    add(mood_rows());
    add(mood_group_rows());
    add(gauge_rows());
    add(scope_rows());
    add(trait_rows());
    add(sound_rows());
    add(layer_rows());
    add(follow_rows());
    add(sketch_rows());
    add(track_rows());
    add(stem_rows());
    add(part_rows());
    add(change_rows());
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
