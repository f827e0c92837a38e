#pragma once
/// The book: what a designer writes, read and checked.
///
///     ReadBook read = read_book("book.toml");
///     for (const Problem& p : read.problems) std::cerr << to_text(p) << '\n';
///     if (read.problems.empty()) manager.load(compile(read.book));
///
/// Thread: any; nothing here is shared.

#include <array>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/author/sketch.hpp"
#include "tidewater/design.hpp"
#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

/// Where something stands in a file. Lines and columns count from 1; 0 means the file as a whole.
struct FilePlace {
  std::string file;
  unsigned line = 0;
  unsigned column = 0;
};

/// Something wrong in a book, for a person: what, where, and what to do.
struct Problem {
  FilePlace place;
  std::string message;
};

/// "harbour/book.toml:12:9: message"
std::string to_text(const Problem& problem);

struct BookDuck : DuckDesign {
  FilePlace place;
};

struct BookGroup : GroupDesign {
  std::string name;
  std::string parent;              ///< empty for the master alone
  std::optional<Quality> quality;  ///< none: the parent's
  std::optional<Decibels> level;   ///< LUFS; none: the parent's
  std::optional<bool> preload;     ///< none: the parent's
  std::string scope;               ///< empty: the parent's
  std::vector<BookDuck> ducks;
  FilePlace place;
};

struct BookScope : ScopeDesign {
  std::string name;
  std::string parent;  ///< empty for the root alone
  std::string mood;    ///< in force while the scope runs; empty for none
  FilePlace place;
};

struct BookMood : MoodDesign {
  std::string name;
  FilePlace place;
};

struct BookGauge : GaugeDesign {
  std::string name;
  FilePlace place;
};

/// One clip that a sound names: its path relative to the folder of clips.
struct BookClip {
  std::string path;
  double weight = 1;
  Decibels gain;  ///< of this clip, on top of its sound's
  FilePlace place;
};

/// The clips for one value of each trait that the layer goes by; "*" is any. Without values: whatever the traits are.
struct BookChoice {
  std::vector<std::string> values;
  std::vector<BookClip> clips;
};

/// What of a clip goes round and round.
struct BookLoop {
  /// `beats`: a part of a track. `behind`: no loop, but what lies behind that part.
  enum class Between { none, whole, seconds, frames, file, beats, behind };
  Between between = Between::none;
  Range<Seconds> time;   ///< where the region is in seconds
  Range<Frames> frames;  ///< where it is in frames of the file
  Tempo tempo;           ///< of a region in beats
  Seconds first_beat;
  std::int64_t from_beat = 0, to_beat = 0;
  Seconds crossfade;  ///< over the seam
  FilePlace place;
  friend bool operator==(const BookLoop& a, const BookLoop& b) {
    return a.between == b.between && a.time == b.time && a.frames == b.frames && a.crossfade == b.crossfade && a.tempo == b.tempo &&
           a.first_beat == b.first_beat && a.from_beat == b.from_beat && a.to_beat == b.to_beat;
  }
  /// Whether anything goes round.
  bool loops() const { return between != Between::none && between != Between::behind; }
};

/// A part of a sound; the layers of a sound start together. A plain sound has one, without a name.
struct BookLayer : LayerDesign {
  std::string name;
  std::vector<std::string> by;  ///< traits that choose the clips; often none
  std::vector<BookChoice> choices;
  BookLoop loop;
  std::optional<bool> stream;  ///< none: clips of more than half a minute do
  FilePlace place;
};

/// One key of a sound as it holds, and where its value comes from.
struct BookSetting {
  std::string key;
  std::string value;
  std::string from;  ///< "own", "like X", or "default"
};

struct BookSound : SoundDesign {
  std::string name;
  std::string group = "master";
  std::string scope;  ///< empty: the group's
  std::vector<BookLayer> layers;
  std::optional<bool> preload;        ///< whether its clips are in memory from the load on; none: the group's, or else they are
  std::vector<BookSetting> settings;  ///< every key, in the order of docs/book.md
  std::optional<TrackDesign> track;   ///< of a track, whose stems are the layers
  std::vector<std::string> list;      ///< of a list of tracks: their names
  std::string ending_of;              ///< the track whose clips the last parts are in; empty for every other
  FilePlace place;

  /// "track" or "sound".
  std::string_view kind() const { return track ? "track" : "sound"; }
  /// Calls `take(layer, clip)` for every clip that it may play.
  template <class F>
  void each_clip(F take) const {
    for (const auto& layer : layers)
      for (const auto& choice : layer.choices)
        for (const auto& clip : choice.clips) take(layer, clip);
  }
};

/// The values that a trait can have. A trait that is not declared can have any.
struct BookTraitValues {
  std::string name;
  std::vector<std::string> values;
  FilePlace place;
};

/// A trait and a value, as the `when` of a response has them.
struct BookTrait {
  std::string name, value;
  FilePlace place;
};

struct BookResponse : ResponseDesign {
  std::string target;           ///< name of a sound, gauge, group, event, track or stand, as `row_of(verb).target` says
  std::vector<BookTrait> when;  ///< traits that the raise must have; one of several values of the same trait is enough
  FilePlace place;
};

struct BookEvent {
  std::string name;
  std::vector<BookResponse> responses;
  FilePlace place;
};

/// What goes into one file for the game to load.
struct BookBank {
  std::string name;
  std::vector<std::string> events;  ///< names or patterns; the sounds that they need come along
  std::vector<std::string> clips;   ///< files, patterns or folders: what it has for banks that need it; then it has no events
  std::vector<std::string> needs;   ///< banks that are loaded before, and have clips for it
  FilePlace place;
};

/// How a platform keeps clips; none: as the target says of all, or else as they are.
struct BookWays {
  enum class Samples { exact, sixteen_bits };
  enum class Codec { as_it_is, flac, vorbis, opus };
  std::optional<Samples> samples;      ///< of what is in memory
  std::optional<bool> mono;            ///< brings two channels to one
  std::optional<Seconds> stream_from;  ///< clips longer than this stream, where their sound does not say
  std::optional<Codec> codec;          ///< of what streams
  std::optional<double> quality;       ///< of Vorbis and Opus, from 0 to 1
};
inline constexpr std::array<std::string_view, 2> samples_words = {"exact", "16-bit"};
inline constexpr std::array<std::string_view, 4> codec_words = {"as-it-is", "flac", "vorbis", "opus"};

inline constexpr std::array<std::string_view, 2> names_words = {"kept", "stripped"};

/// A build of the book for one platform.
struct BookTarget : BookWays {
  std::string name;
  enum class Names { kept, stripped };
  Hertz rate;                              ///< of all clips; 0: 48 kHz
  Names names = Names::kept;               ///< of events, sounds, groups and clips in the banks
  std::vector<std::string> languages;      ///< none: all of the book
  std::map<std::string, BookWays> groups;  ///< for the sounds of these and below
  FilePlace place;
};

/// Who made some clips, and on what terms.
struct BookCredit {
  std::vector<std::string> clips;  ///< names, patterns, or folders with a slash at the end
  std::string licence;             ///< an SPDX name, or words
  std::string author, source, link;
  FilePlace place;
};

/// Advice that the designer has read and does not want to hear again.
struct BookAccepted {
  std::string advice;  ///< its kind
  std::string about;   ///< clip or sound, or a pattern; empty for all
  std::string reason;
  FilePlace place;
};

/// A clip that is made from a recipe; its path is "sketch:SOUND-1".
struct BookSketch {
  SketchPlan plan;
  std::uint32_t variant = 0;
};

struct Book {
  std::string name;
  std::string file;
  std::string clips_folder;  ///< as a path that can be opened
  std::string soundfont;     ///< for MIDI, the same; may be empty
  std::vector<BookGauge> gauges;
  std::vector<BookGroup> groups;  ///< the master first, parents before children
  std::vector<BookMood> moods;
  std::vector<BookScope> scopes;  ///< the root first, parents before children
  std::vector<BookTraitValues> traits;
  std::vector<BookSound> sounds;
  std::vector<BookEvent> events;
  std::vector<BookBank> banks;  ///< none: the whole book is one
  std::vector<BookTarget> targets;
  std::string speech;                  ///< folder of clips with a folder for each language; empty where there is none
  std::vector<std::string> languages;  ///< names of those folders; the clips of the book are those of the first
  std::vector<BookCredit> credits;     ///< those in the book itself
  std::vector<BookAccepted> accepted;
  std::map<std::string, BookSketch> sketches;  ///< by the path that stands for each in the sounds' clips
  std::optional<Decibels> level;               ///< LUFS that every clip is brought to
  bool whole = true;                           ///< false where lines could not be read: names may be missing
};

struct ReadBook {
  Book book;
  std::vector<Problem> problems;  ///< in the order of the file; empty where the book is sound
};

/// Reads a book and the list of its folder of clips. Never throws for what is in the file: every problem is reported.
ReadBook read_book(const std::string& path);

/// The same from text; `path` says where the text would lie.
ReadBook parse_book(std::string_view text, const std::string& path);

/// One key that a book can have, as docs/book.md lists it.
struct BookKey {
  std::string_view section;  ///< "book", "groups", "gauges", "scopes", "traits", "sounds", "layers", "tracks", "stems", "parts", "from",
                             ///< "follow", "sketch", "events", "responses", "banks", "targets", "targets.groups", "credits", "accepted"
  std::string_view key;
  std::string takes;          ///< kind of value and its unit
  std::string_view standard;  ///< what holds where the key is missing; empty where it must be there
  std::string_view example;
  std::string_view meaning;
};

/// All keys that the parser knows, in the order in which docs/book.md explains them.
const std::vector<BookKey>& book_keys();

}  // namespace tidewater
