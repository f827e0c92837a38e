#pragma once
/// The commands, once their arguments are read. Each returns the exit code; what is wrong with the input is thrown as Error.

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "tidewater/units.hpp"

namespace tidewater::tool {

enum Exit { fine = 0, bad_input = 1, bad_call = 2 };
/// Exit status of `compare` for what is beyond the tolerance. What cannot be read is `bad_call` there.
inline constexpr int beyond = 1;

struct CheckCall {
  std::string book;
  bool json = false;
  bool strict = false;
  bool all = false;               ///< every piece of advice, not the worst of each kind
  std::vector<std::string> only;  ///< kinds; empty for every one
};
int check(const CheckCall& call);

struct DeskCall {
  std::string book;
  std::string listen = "127.0.0.1";
  int port = 0;  ///< 0 for any
  std::optional<int> osc;
  std::vector<std::string> osc_from;
};
int desk(const DeskCall& call);

struct GatherCall {
  std::string folder;
  std::string book;
  bool dry_run = false;
};
int gather(const GatherCall& call);

struct SketchCall {
  std::string recipe;  ///< a ready one's name, or a file
  std::string output;
  std::optional<std::uint64_t> seed;
  std::optional<std::uint32_t> variants;
  bool list = false;
};
int sketch(const SketchCall& call);

struct CreditsCall {
  std::string book;
  std::string output;
  bool begin = false;
};
int credits(const CreditsCall& call);

struct JournalCall {
  std::string journal;
  std::vector<std::string> names;  ///< files with the names that banks were packed without
  bool unheard = false;
};
int journal(const JournalCall& call);

struct WhyCall {
  std::string journal;
  std::string event, at, emitter;  ///< empty for every one
  std::vector<std::string> names;  ///< files with the names that banks were packed without
};
int why(const WhyCall& call);

struct MissingCall {
  std::string book;
  std::vector<std::string> journals;
  std::vector<std::string> names;
};
int missing(const MissingCall& call);

struct ShowCall {
  std::string book;
  std::string name;
  bool all = false;  ///< keys that have their defaults, too
  bool json = false;
};
int show(const ShowCall& call);

struct PackCall {
  std::vector<std::string> patch_of;
  std::string patch_name;
  int priority = 1;
  std::string book;
  std::string output = "banks";  ///< folder
  std::string bank;              ///< empty for all
  std::string target, language;  ///< empty for none, and for all
  int rate = 0;                  ///< the target's
  bool json = false;
  bool watch = false;
  std::uint64_t largest = 0;        ///< bytes that a bank may have; 0 for any number
  std::string depfile, depfile_of;  ///< what it was made of, for build tools, and the name that these know it by
};
int pack(const PackCall& call);

struct WeighCall {
  std::string bank;  ///< or a book
  bool clips = false;
  std::string picture;
  std::string against;                ///< another version of it
  std::vector<std::string> journals;  ///< of sessions that may never have played some takes
  std::vector<std::string> names;     ///< files with the names that the bank was packed without
  bool has_against = false;           ///< it was given, if only as an empty text
};
int weigh(const WeighCall& call);

struct VerifyCall {
  std::vector<std::string> banks;
};
int verify(const VerifyCall& call);

struct NamesCall {
  std::string book;    ///< or a bank
  std::string output;  ///< empty: prints it
  std::string space;   ///< the namespace; empty: the book's name
  bool json = false;
};
int names(const NamesCall& call);

struct UnpackCall {
  std::string bank;
  std::string output = "unpacked";  ///< folder
  std::vector<std::string> bases;
};
int unpack(const UnpackCall& call);

struct AuditionCall {
  std::string book;
  std::string name;
  int times = 8;
  Seconds every{0};  ///< zero: each after the one before has ended
  std::uint64_t seed = 1;
  std::string output;
  std::string picture;
  std::string compare;  ///< another sound or event, or another version of the book
  std::vector<std::pair<std::string, std::string>> traits;
  std::vector<std::string> gauges;  ///< "throttle=0.6" or "throttle=0..1"
  std::string language;             ///< of speech
  std::vector<std::string> then;    ///< of a track: "storm@3"
  bool device = false;
  bool watch = false;
};
int audition(const AuditionCall& call);

struct PlaceCall {
  std::string book;
  std::string sound;
  std::string layout = "stereo";
  std::vector<std::string> gauges;
  std::string output;
  std::string picture;
};
int place(const PlaceCall& call);

struct ScoreCall {
  std::string book;
  std::string track;
  std::string picture;
};
int score(const ScoreCall& call);

struct RenderCall {
  std::string book;
  std::string journal;
  std::string output;
  std::string journal_out;
  std::string picture;
  std::optional<std::uint64_t> seed;
  bool as_recorded = false;
  bool as_played = false;  ///< with the player's settings
};
int render(const RenderCall& call);

struct BalanceCall {
  std::string book;  ///< or a bank, or a folder of them
  std::vector<std::string> journals;
  std::string speech = "voices";   ///< the group whose words are to be understood
  std::optional<Decibels> target;  ///< LUFS
  bool as_played = false;
  bool apply = false;
  bool json = false;
  bool all = false;
};
int balance(const BalanceCall& call);

struct CompareCall {
  std::string one, other;  ///< books, banks, folders of banks, or sound files
  std::vector<std::string> journals;
  double tolerance = 0.1;  ///< LU
  std::string picture;
  bool as_played = false;
  bool json = false;
};
int compare(const CompareCall& call);

struct StressCall {
  int block = 256;
  double rate = 48000;
  bool fine = false;
  std::string picture;
};
int stress(const StressCall& call);

}  // namespace tidewater::tool
