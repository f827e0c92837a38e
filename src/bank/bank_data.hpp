#pragma once
#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "base/ours.hpp"
#include "mix/command.hpp"
#include "tidewater/bank.hpp"
#include "tidewater/design.hpp"
#include "tidewater/name.hpp"
#include "tidewater/request.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_OURS tidewater {

class Bytes;
class BankSamples;

/// A clip that plays from disk, and is brought to the bank's rate on the way.
struct StreamedFile {
  std::string path;  ///< or in words where it is, for one inside another
  int channels = 1;
  Hertz rate;                    ///< of the file
  std::int64_t file_frames = 0;  ///< at that rate; what lies behind them in the file is never played
  std::int64_t loop_from = 0;    ///< at that rate: where a loop goes on after the last of them
  Hertz bank_rate;
  std::int64_t frames = 0;                            ///< at the bank's rate
  std::int64_t head = 0;                              ///< of those that are kept in memory, so that it starts at once
  std::function<std::unique_ptr<Bytes>()> open = {};  ///< none where `path` leads to it; may throw Error
};

/// Its bytes, or why there are none.
Read<std::unique_ptr<Bytes>> read_file(const StreamedFile& file);

/// Samples in memory: each channel in turn, with `reach` zeros before and after it; one of the two is empty. `memory` keeps them, where
/// not the game does.
struct ClipData {
  std::span<const float> floats;
  std::span<const std::int16_t> shorts;
  std::shared_ptr<const void> memory;

  bool there() const { return !floats.empty() || !shorts.empty(); }
  std::size_t bytes() const { return floats.size_bytes() + shorts.size_bytes(); }
};

/// Where the samples of a clip lie in a bank file, from its beginning on, in bytes; nowhere where its bank was compiled.
struct ClipPlace {
  std::uint64_t at = 0;
  std::uint64_t size : 63 = 0;
  std::uint64_t shorts : 1 = 0;
};

/// The samples themselves are there from the beginning where the bank was compiled; else whoever plays it has them (bank/bank_samples.hpp).
struct BankClip : ClipData {
  std::string name;
  int channels = 1;
  float fold = 1;  ///< of a stereo clip: amplitude at which one channel has its mean power
  std::int64_t frames = 0;
  std::int64_t loop_from = 0;                    ///< where a loop goes on after its end; of what streams only nearly, see StreamedFile
  std::shared_ptr<const StreamedFile> streamed;  ///< null where all of it is in memory
  Decibels level;                                ///< RMS over the whole clip: how loud it is beside others when voices are short
  ClipPlace place;
  std::uint32_t base = 0;     ///< 0: its samples are its own; else those of a base's clip, which that is, from 1
  std::uint32_t in_base = 0;  ///< the number of that clip
  bool preload = true;        ///< a sound that plays it asks for it to be in memory when the bank is loaded

  /// Bytes that its samples take in memory.
  std::size_t bytes() const { return place.size > 0 ? static_cast<std::size_t>(place.size) : ClipData::bytes(); }
  /// Frames in memory: all, or the head of a streamed clip.
  std::int64_t kept() const { return streamed ? streamed->head : frames; }
  ClipSamples view(const ClipData& data) const;
  ClipSamples view() const { return view(*this); }
};

/// Lays out interleaved samples as a clip that the mixer can read. `sixteen_bits` where every sample is a multiple of
/// 1/32768: then half the memory holds the very same.
BankClip make_clip(std::string name, int channels, const std::vector<float>& interleaved, bool sixteen_bits = false);

/// Makes a clip that streams from `file`. `interleaved` has all frames of the file that are played, at the file's `rate`; only the first
/// quarter of a second of them is kept, at the bank's rate. A loop goes on at frame `loop_from` of the file.
BankClip make_streamed_clip(std::string name, std::string file, int channels, Hertz rate, const std::vector<float>& interleaved,
                            Hertz bank_rate, std::int64_t loop_from = 0);

/// A clip as one layer uses it.
struct BankClipUse {
  std::uint32_t clip = 0;
  double weight = 1;  ///< for a draw among all but the last
  Decibels trim;      ///< brings it to the level that its book asks for
  float share = 1;    ///< what its book says of its weight: how often it comes in the long run
};

/// A text that is looked for by its hash.
struct HashedText {
  std::string text;
  std::uint64_t hash = 0;

  HashedText() = default;
  HashedText(std::string its) : text(std::move(its)), hash(hash_name(text)) {}  // NOLINT: a text is one
  HashedText(const char* its) : HashedText(std::string(its)) {}                 // NOLINT
  friend bool operator==(const HashedText&, const HashedText&) = default;
};
inline const HashedText any_value = "*";

/// The clips for one value of each trait that the layer goes by; "*" is any. Without values: whatever the traits are.
struct BankChoice {
  std::vector<HashedText> values;
  std::vector<BankClipUse> clips;
  bool weighted = false;
  // Where one clip weighs half of all or more: after any other it is its turn, after itself again with a probability.
  std::int32_t heavy = -1;
  double again = 0;
};

struct BankLayer : LayerDesign {
  std::string name;
  std::vector<HashedText> by;  ///< traits
  std::vector<BankChoice> choices;
  bool loop = false;
};

inline constexpr std::size_t most_layers = 8;  ///< of a sound

inline constexpr std::size_t most_parts_of_a_track = 32;  ///< of a track
inline constexpr std::size_t most_listed = 256;           ///< tracks of a list
inline constexpr std::size_t most_changes = 64;           ///< of a track with others

inline constexpr std::size_t most_gauges = 64;    ///< of a book, and of all banks that are loaded
inline constexpr std::size_t most_followed = 8;   ///< gauges, of a sound and its layers
inline constexpr int most_times_as_often = 16;    ///< as its own cadence
inline constexpr Seconds shortest_cadence{0.01};  ///< from one start to the next

/// A track: its timing, and how the frames of its clips lie in the bank. All its stems are alike in that.
struct BankTrack : TrackDesign {
  Hertz rate;               ///< of the clips' own frames, in which beats are counted
  std::int64_t frames = 0;  ///< of a clip; after them a loop goes on at `loop_from`
  std::int64_t loop_from = 0;
  bool loops = false;
  std::int64_t beats_before = 0;  ///< beats that lie before the clip, of a clip that was cut from a longer one
  /// Frame f of the clip's own lies at (offset + f * to) / per, in frames of the bank.
  std::int64_t offset = 0, to = 1, per = 1;
  /// Of a list of tracks: their names. Its only layer has a clip for each, by which one is picked.
  std::vector<HashedText> list = {};
};

struct BankSound : SoundDesign {
  std::string name;
  ContentHash content;  ///< of all that is heard of it, clips and group included
  std::uint32_t group = 0;
  std::uint32_t scope = 0;  ///< number of its scope; 0 is the root
  std::vector<BankLayer> layers;
  std::vector<BankTrack> track = {};  ///< one if it is a track

  const BankTrack* as_track() const { return track.empty() ? nullptr : &track.front(); }
};

/// A trait whose values the book declares.
struct BankTrait {
  std::string name;
  std::vector<HashedText> values;
};

/// A trait that a raise must have.
struct BankCondition {
  HashedText trait, value;
};

/// Stores gauges, groups and events by name, because they may be in another bank.
struct BankResponse : ResponseDesign {
  std::uint32_t target = 0;              ///< number of a sound
  HashedText name = {};                  ///< name of a gauge, group, event, stand or mood
  std::vector<BankCondition> when = {};  ///< values of one trait are neighbours; one of them is enough

  /// Whether it is a start without conditions or draws.
  bool is_plain_start() const { return verb == Verb::start && when.empty() && left_out == 0 && delay.high == delay.low && !on; }
};

struct BankEvent {
  std::string name;
  std::vector<BankResponse> responses;

  bool raises() const {
    return std::any_of(responses.begin(), responses.end(), [](const BankResponse& its) { return its.verb == Verb::raise; });
  }
};

/// Calls `act(number of the sound)` for each sound that an event starts, in the order of its responses.
template <class Act>
void each_started_sound(const BankEvent& event, Act act) {
  for (const BankResponse& response : event.responses)
    if (response.starts()) act(response.target);
}

/// A parent comes before its children; the first is the master.
struct BankGroup : GroupDesign {
  std::string name;
  std::uint32_t parent = 0;
  std::vector<DuckDesign> ducks = {};
};

/// A parent comes before its children; the first is the root.
struct BankScope : ScopeDesign {
  std::string name;
  std::uint32_t parent = 0;
  std::string mood = {};  ///< in force while the scope runs; empty for none
  friend bool operator==(const BankScope&, const BankScope&) = default;
};

struct BankMood : MoodDesign {
  std::string name;
};

struct BankGauge : GaugeDesign {
  std::string name;
};

/// Another bank, which has some of a bank's clips.
struct BankBase {
  std::string name;
  ContentHash content;
  bool replaces = false;  ///< what has the same name there is changed
};

struct BankData {
  std::string name;
  std::string target;      ///< of the book, that it was made for; empty for none
  std::string language;    ///< of its speech; empty for the book's first
  int priority = 0;        ///< of banks that change one and the same
  bool by_itself = false;  ///< another version may be loaded beside it, with the same names: to hear both
  ContentHash content;
  Hertz rate;
  std::vector<BankBase> bases;
  std::vector<std::shared_ptr<const BankData>> lenders;  ///< these, once they are found
  std::vector<BankClip> clips;
  std::shared_ptr<BankSamples> samples;  ///< of a file; null where all clips have theirs
  std::vector<BankGroup> groups;
  std::vector<BankMood> moods;
  std::vector<BankGauge> gauges;
  std::vector<BankScope> scopes = {{{}, "root", 0}};
  std::vector<BankTrait> traits;  ///< those that the book declares
  std::vector<BankSound> sounds;
  std::vector<BankEvent> events;

  /// The name of the bank that it changes, or else its own: what has the same name in several is told apart by their priority.
  const std::string& root() const {
    for (const BankBase& base : bases)
      if (base.replaces) return base.name;
    return name;
  }
};

/// The names of what a bank has of one kind, in order.
template <class Item>
std::vector<std::string_view> names_of(const std::vector<Item>& items) {
  std::vector<std::string_view> names;
  for (const Item& item : items) names.push_back(item.name);
  return names;
}

/// Between what a game holds and what is in it.
struct BankInside {
  static Bank make(std::shared_ptr<const BankData> data) { return Bank(std::move(data)); }
  static const std::shared_ptr<const BankData>& of(const Bank& bank) { return bank.data_; }
};
inline Bank bank_of(std::shared_ptr<const BankData> data) { return BankInside::make(std::move(data)); }
inline const BankData& data_of(const Bank& bank) { return *BankInside::of(bank); }

}  // namespace tidewater
