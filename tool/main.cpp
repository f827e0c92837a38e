#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <sstream>

#include "base/nearest.hpp"
#include "commands.hpp"
#include "memory_kept.hpp"
#include "print.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/components.hpp"
#include "tidewater/error.hpp"
#include "tidewater/layout.hpp"

namespace {

using namespace tidewater;
using namespace tidewater::tool;

std::string version() {
  std::string text = "tidewater " TIDEWATER_VERSION "\n";
  for (const auto& component : components())
    text += component.library.empty() ? fmt::format("  {:<16} not in this build: {}\n", component.what, component.remedy)
                                      : fmt::format("  {:<16} {}\n", component.what, component.library);
  text.pop_back();
  return text;
}

void require_kind(const std::string& kind) {
  std::vector<std::string_view> known;
  for (const auto& one : advice_kinds()) known.push_back(one.kind);
  if (std::find(known.begin(), known.end(), kind) != known.end()) return;
  const std::string advice = did_you_mean(kind, known);
  throw CLI::ValidationError("--only", fmt::format("there is no advice '{}'{}", kind,
                                                   advice.empty() ? fmt::format("; there is {}", fmt::join(known, ", ")) : advice));
}

/// A seed is drawn from what people type, so it is read strictly.
template <class T>
CLI::Option* seed_option(CLI::App* command, T& seed) {
  const auto whole = [](const std::string& text) {
    const bool digits = !text.empty() && text.find_first_not_of("0123456789") == std::string::npos && text.size() < 20;
    return digits ? std::string() : fmt::format("'{}' is no seed: it must be a whole number from 0 on", text);
  };
  return command->add_option("--seed", seed, "Seed of every draw; the same seed gives the same samples (default 1)")
      ->check(CLI::Validator(whole, "", "seed"));
}

/// "-23 LUFS", within bounds.
double number_with_unit(const char* option, const std::string& text, std::string_view unit, double least, double most) {
  std::size_t end = 0;
  double value = 0;
  try {
    value = std::stod(text, &end);
  } catch (const std::exception&) {
    end = 0;
  }
  std::string_view rest = std::string_view(text).substr(end);
  while (rest.starts_with(' ')) rest.remove_prefix(1);
  if (end == 0 || rest != unit || !(value >= least && value <= most))
    throw CLI::ValidationError(option, fmt::format("must be a number of {0} from {1:g} to {2:g}, such as \"{3:g} {0}\"", unit, least, most,
                                                   least < 0 ? -23 : 0.1));
  return value;
}

/// Refused before any work is done.
const CLI::Validator picture_ending(
    [](const std::string& path) {
      return path.ends_with(".png") || path.ends_with(".svg")
                 ? std::string()
                 : fmt::format("{}: cannot tell the kind of picture from its ending; use .png or .svg", path);
    },
    "", "picture");

/// An unknown command is told with the nearest that there is.
void require_command(const CLI::App& app, int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') return;
  const std::string command = argv[1];
  std::vector<std::string> names;
  for (const auto* known : app.get_subcommands([](const CLI::App*) { return true; })) names.push_back(known->get_name());
  if (std::find(names.begin(), names.end(), command) != names.end()) return;
  const std::string advice = did_you_mean(command, {names.begin(), names.end()});
  throw CLI::ExtrasError(
      fmt::format("there is no command '{}'{}", command, advice.empty() ? fmt::format("; there is {}", fmt::join(names, ", ")) : advice),
      CLI::ExitCodes::ExtrasError);
}

/// What cannot be read has an exit status of its own, since 1 says that something has changed.
int compare_or_bad_call(const CompareCall& call) {
  try {
    return compare(call);
  } catch (const Error& error) {
    complain("{}\n", error.what());
    return bad_call;
  }
}

int run(int argc, char** argv) {
  CLI::App app{
      "Tidewater: a game says what happened, a book says how that sounds.\n"
      "Begin with: tidewater check examples/harbour/book.toml"};
  app.set_version_flag("--version", version);
  app.set_help_flag("-h,--help", "Print this help and exit");
  app.require_subcommand(1);

  CheckCall check_call;
  auto* check_command =
      app.add_subcommand("check", "Read a book and its clips; report every problem, and give advice, with place and remedy");
  check_command->add_option("BOOK", check_call.book, "The book, a TOML file")->required();
  check_command->add_flag("--json", check_call.json, "Print the problems as a JSON array, for editors");
  check_command->add_flag("--strict", check_call.strict, "Fail on advice, too");
  check_command->add_flag("--all", check_call.all, "Print every piece of advice, not only the worst of each kind");
  check_command->add_option("--only", check_call.only, "Print only advice of this kind, all of it; may be repeated");
  check_command->footer("Example:\n  tidewater check examples/harbour/book.toml");

  DeskCall desk_call;
  auto* desk_command = app.add_subcommand("desk", "Open a page in the browser on which a book is seen, heard and turned");
  desk_command->add_option("BOOK", desk_call.book, "The book, a TOML file")->required();
  desk_command->add_option("--port", desk_call.port, "Port of the page (default: any that is free)")->check(CLI::Range(0, 65535));
  desk_command->add_option("--listen", desk_call.listen,
                           "Address to listen on (default 127.0.0.1: this machine alone). Nothing is encrypted");
  desk_command->add_option("--osc", desk_call.osc, "UDP port for control surfaces that speak OSC (default: none; docs/osc.md)")
      ->check(CLI::Range(0, 65535));
  desk_command->add_option("--osc-from", desk_call.osc_from,
                           "Another machine whose OSC messages are taken, such as 192.0.2.7; may be repeated");
  desk_command->footer("Example:\n  tidewater desk examples/harbour/book.toml");

  GatherCall gather_call;
  auto* gather_command = app.add_subcommand("gather", "Add a folder of clips to a book: a sound and an event for each kind of file");
  gather_command->add_option("FOLDER", gather_call.folder, "The folder of clips, or one inside it")->required();
  gather_command->add_option("--book", gather_call.book, "The book, a TOML file; created if missing")->required();
  gather_command->add_flag("--dry-run", gather_call.dry_run, "Only show what would be added, as a diff");
  gather_command->footer("Example:\n  tidewater gather examples/harbour/clips --book out/new.toml --dry-run");

  SketchCall sketch_call;
  auto* sketch_command = app.add_subcommand("sketch", "Make placeholder clips from a recipe");
  sketch_command->add_option("RECIPE", sketch_call.recipe, "The name of a ready recipe, or a TOML file with one of your own");
  sketch_command->add_option("-o,--output", sketch_call.output, "The file to write (.wav, .flac, .ogg); variants are numbered");
  seed_option(sketch_command, sketch_call.seed);
  sketch_command->add_option("--variants", sketch_call.variants, "How many variants, each a little different (default 1)")
      ->check(CLI::Range(1, 64));
  sketch_command->add_flag("--list", sketch_call.list, "Name the ready recipes");
  sketch_command->footer("Example:\n  tidewater sketch splash --variants 3 --output out/splash.wav");

  CreditsCall credits_call;
  auto* credits_command = app.add_subcommand("credits", "Write the text of credits that a game shows");
  credits_command->add_option("BOOK", credits_call.book, "The book, a TOML file")->required();
  credits_command->add_option("--output", credits_call.output, "Write it to this file");
  credits_command->add_flag("--begin", credits_call.begin, "Add entries for clips without a licence to credits.toml, to be filled in");
  credits_command->footer("Example:\n  tidewater credits examples/harbour/book.toml --output out/credits.txt");

  ShowCall show_call;
  auto* show_command =
      app.add_subcommand("show", "List what a book has, or print every key of one item, with its value and where that comes from");
  show_command->add_option("BOOK", show_call.book, "The book, a TOML file, or a bank (.tidebank)")->required();
  show_command->add_option("NAME", show_call.name,
                           "An event, sound, group, gauge, bank, target or trait of the book; without it, all are listed");
  show_command->add_flag("--all", show_call.all, "Print keys of a sound that have their defaults, too");
  show_command->add_flag("--json", show_call.json, "Print one JSON object, for other tools");
  show_command->footer("Example:\n  tidewater show examples/harbour/book.toml engine");

  PackCall pack_call;
  auto* pack_command = app.add_subcommand("pack", "Pack a book into the bank files that a game ships: FOLDER/NAME.tidebank");
  pack_command->add_option("BOOK", pack_call.book, "The book, a TOML file")->required();
  pack_command->add_option("-o,--output", pack_call.output, "The folder to write it to, created if missing (default banks)");
  pack_command->add_option("--bank", pack_call.bank, "Pack only this bank of the book");
  pack_command->add_option("--target", pack_call.target, "The target of the book: how its platform keeps clips (default as they are)");
  pack_command->add_option("--language", pack_call.language, "Pack only this language of banks with speech (default all)");
  pack_command->add_option("--rate", pack_call.rate, "Frames a second of all clips (default the target's, or else 48000)")
      ->check(CLI::Range(8000, 192000));
  auto* patch_of =
      pack_command->add_option("--patch-of", pack_call.patch_of,
                               "A bank file that players have: write only what has changed since then, as a patch; may be repeated");
  pack_command->add_option("--name", pack_call.patch_name, "The name of the patch (default BANK-patch)")->needs(patch_of);
  pack_command->add_option("--priority", pack_call.priority, "If several patches change one thing, the highest priority counts (default 1)")
      ->needs(patch_of);
  pack_command->add_flag("--json", pack_call.json, "Print a list of what was packed as JSON");
  pack_command->add_option("--largest", pack_call.largest, "Fail if a bank is larger than this, such as 40MiB")
      ->transform(CLI::AsSizeValue(false));
  pack_command->add_flag("--watch", pack_call.watch, "Pack again whenever the book or a clip is saved, until Ctrl-C");
  pack_command->add_option("--depfile", pack_call.depfile, "Write the dependencies of the banks to this file, as make and Ninja read them");
  pack_command->add_option("--depfile-of", pack_call.depfile_of, "The target that the dependency file names (default the bank)");
  pack_command->footer(
      "Example:\n  tidewater pack examples/harbour/book.toml --output out/banks\n"
      "  tidewater pack book.toml --target handheld --language de --largest 40MiB --output out/handheld");

  WeighCall weigh_call;
  auto* weigh_command = app.add_subcommand("weigh", "List what takes the space in a bank, by group and by sound, and how to reduce it");
  weigh_command->add_option("BANK", weigh_call.bank, "A bank file (.tidebank), or a book")->required();
  weigh_command->add_flag("--clips", weigh_call.clips, "List every clip, too");
  weigh_command->add_option("--picture", weigh_call.picture, "Draw the sizes as areas to this file, PNG or SVG")->check(picture_ending);
  auto* against =
      weigh_command->add_option("--against", weigh_call.against, "Another version, bank or book: show what an update from it costs");
  weigh_command->add_option("--journal", weigh_call.journals,
                            "A journal of a session: list the takes that were never played. May be repeated");
  weigh_command->add_option("--names", weigh_call.names,
                            "With --journal: NAME.names of banks that were packed without names; without it, the one beside the bank");
  weigh_command->footer(
      "Example:\n  tidewater weigh examples/harbour/book.toml --picture out/weight.png\n  tidewater weigh new/quay.tidebank --against "
      "old/quay.tidebank");

  NamesCall names_call;
  auto* names_command = app.add_subcommand("names", "Write the names of a book as C++, so that a misspelt one does not compile");
  names_command->add_option("BOOK", names_call.book, "The book, a TOML file, or a bank (.tidebank)")->required();
  names_command->add_option("-o,--output", names_call.output, "The header to write, if it has changed; without it, it is printed");
  names_command->add_option("--namespace", names_call.space, "The namespace of the names (default: the book's name)");
  names_command->add_flag("--json", names_call.json, "Write JSON instead, for other languages and editors");
  names_command->footer("Example:\n  tidewater names examples/harbour/book.toml --output out/names.hpp");

  UnpackCall unpack_call;
  auto* unpack_command = app.add_subcommand("unpack", "Unpack a bank into a book and clips in open formats, which pack to the same bank");
  unpack_command->add_option("BANK", unpack_call.bank, "A bank file")->required();
  unpack_command->add_option("-o,--output", unpack_call.output, "The folder to write them to, created if missing (default unpacked)");
  unpack_command->add_option("--base", unpack_call.bases, "A bank that this one takes clips from; may be repeated");
  unpack_command->footer("Example:\n  tidewater unpack out/banks/quay.tidebank --output out/quay");

  VerifyCall verify_call;
  auto* verify_command = app.add_subcommand("verify", "Read all of a bank file and compare it with its checksums");
  verify_command->add_option("BANK", verify_call.banks, "One or more bank files (.tidebank)")->required();
  verify_command->footer("Example:\n  tidewater verify out/banks/harbour.tidebank");

  AuditionCall audition_call;
  std::string every;
  auto* audition_command = app.add_subcommand("audition", "Play or render a sound or an event several times, without the game");
  audition_command->add_option("BOOK", audition_call.book, "The book, a TOML file")->required();
  audition_command->add_option("NAME", audition_call.name, "A sound, an event or a track of the book")->required();
  audition_command->add_option("--times", audition_call.times, "How many times (default 8)")->check(CLI::Range(1, 10000));
  audition_command->add_option("--every", every,
                               "Time from one start to the next, such as \"500 ms\" (default: its cadence, or each after the one before)");
  seed_option(audition_command, audition_call.seed);
  audition_command->add_option("-o,--output", audition_call.output, "Write the sound to this file (.wav, .flac, .ogg)");
  audition_command->add_flag("--device", audition_call.device, "Play on the sound card; with --output or --picture, too");
  audition_command->add_option("--picture", audition_call.picture, "Draw the takes, waveforms and spectrograms, to this file (.png, .svg)")
      ->check(picture_ending);
  std::vector<std::string> traits;
  audition_command->add_option("--trait", traits, "A trait of the event, such as surface=steel; may be repeated");
  audition_command->add_option("--gauge", audition_call.gauges,
                               "Hold a gauge, throttle=0.6, or take it from the first take to the last, throttle=0..1; may be repeated");
  audition_command->add_option("--language", audition_call.language, "The language of speech, one of the book's (default: the first)");
  audition_command->add_option(
      "--then", audition_call.then,
      "Of a track: ask for another track in a bar of the one that plays, storm@3, or for silence, @5; may be repeated");
  audition_command->add_option("--compare", audition_call.compare,
                               "Play another sound or event in turn with it, or the same from another BOOK.toml, at equal loudness");
  audition_command->add_flag("--watch", audition_call.watch, "Play again whenever the book or a clip is saved; Ctrl-C ends");
  audition_command->footer("Example:\n  tidewater audition examples/harbour/book.toml bell --times 5 --output out/bell.wav");

  PlaceCall place_call;
  auto* place_command = app.add_subcommand("place", "Show how a sound in the world is heard by distance, and on a walk past it");
  place_command->add_option("BOOK", place_call.book, "The book, a TOML file")->required();
  place_command->add_option("SOUND", place_call.sound, "A sound of the book with place = \"world\"")->required();
  place_command->add_option("--layout", place_call.layout, "mono, stereo (default), 5.1 or 7.1")->check(CLI::IsMember(layout_words));
  place_command->add_option("--gauge", place_call.gauges,
                            "Hold a gauge, throttle=0.6, or take it from one value to another on the walk, throttle=0..1; may be repeated");
  place_command->add_option("-o,--output", place_call.output, "Write the walk to this sound file (.wav, .flac, .ogg)");
  place_command->add_option("--picture", place_call.picture, "Draw level and treble by distance, level by angle, and the walk (.png, .svg)")
      ->check(picture_ending);
  place_command->footer("Example:\n  tidewater place examples/harbour/book.toml gulls --output out/walk.wav --picture out/walk.png");

  ScoreCall score_call;
  auto* score_command = app.add_subcommand("score", "Show the bars, parts and stems of a track, and every change to and from other tracks");
  score_command->add_option("BOOK", score_call.book, "The book, a TOML file")->required();
  score_command->add_option("TRACK", score_call.track, "A track of the book")->required();
  score_command->add_option("--picture", score_call.picture, "Draw it (.png, .svg)")->check(picture_ending);
  score_command->footer("Example:\n  tidewater score examples/harbour/book.toml estuary --picture out/estuary.png");

  RenderCall render_call;
  std::uint64_t seed = 0;
  auto* render_command = app.add_subcommand("render", "Render the requests of a journal, recorded from a game or written by hand");
  render_command
      ->add_option("BOOK", render_call.book, "The book, a TOML file, or a bank that was packed of one (.tidebank), or a folder of them")
      ->required();
  render_command->add_option("JOURNAL", render_call.journal, "The requests, as JSON Lines")->required();
  render_command->add_option("-o,--output", render_call.output,
                             "The sound file to write (.wav, .flac, .ogg); optional with --picture or --journal");
  render_command->add_option("--journal", render_call.journal_out, "Write a journal of this rendering, with decisions and reasons");
  render_command->add_option("--picture", render_call.picture, "Draw the timeline to this file (.png, .svg)")->check(picture_ending);
  render_command->add_flag("--as-recorded", render_call.as_recorded,
                           "Mix with the instruction set of the recording machine, to get the same samples");
  render_command->add_flag("--as-played", render_call.as_played, "With the player's settings, as the player heard it");
  auto* render_seed = seed_option(render_command, seed);
  render_command->footer(
      "Example:\n  tidewater render examples/harbour/book.toml out/harbour.journal.jsonl --output out/again.wav --picture out/again.png");

  JournalCall journal_call;
  auto* journal_command = app.add_subcommand("journal", "Print a journal in words: what was asked, what was decided, and why");
  journal_command->add_option("JOURNAL", journal_call.journal, "The journal of a game or of a rendering")->required();
  journal_command->add_option("--names", journal_call.names, "NAME.names of a bank that was packed without names; may be repeated");
  journal_command->add_flag("--unheard", journal_call.unheard, "Print only what was refused, held back, or played unheard");
  journal_command->footer("Example:\n  tidewater journal out/harbour.journal.jsonl --unheard");

  WhyCall why_call;
  auto* why_command =
      app.add_subcommand("why", "Say what was heard of each raise in a journal, and if not, why, and what would change that");
  why_command->add_option("JOURNAL", why_call.journal, "The journal of a session")->required();
  why_command->add_option("--event", why_call.event, "Only raises of this event");
  why_command->add_option("--at", why_call.at, "Only raises within a second of this time, such as 12.4s");
  why_command->add_option("--emitter", why_call.emitter, "Only raises on this emitter, a number");
  why_command->add_option("--names", why_call.names, "NAME.names of banks that were packed without names; may be repeated");
  why_command->footer("Example:\n  tidewater why game.journal.jsonl --event gulls.cried --at 12.4s");

  MissingCall missing_call;
  auto* missing_command = app.add_subcommand("missing", "List what a book is missing, by what happened in recorded sessions");
  missing_command->add_option("BOOK", missing_call.book, "The book, a TOML file")->required();
  missing_command->add_option("JOURNAL", missing_call.journals, "The journals of one or more sessions")->required();
  missing_command->add_option("--names", missing_call.names, "NAME.names of banks that were packed without names; may be repeated");
  missing_command->footer("Example:\n  tidewater missing book.toml monday.journal.jsonl tuesday.journal.jsonl");

  BalanceCall balance_call;
  std::string target;
  auto* balance_command =
      app.add_subcommand("balance", "Measure how loud each group and sound was in recorded sessions, and what covered speech");
  balance_command->add_option("BOOK", balance_call.book, "The book, a TOML file, or a bank (.tidebank), or a folder of them")->required();
  balance_command->add_option("JOURNAL", balance_call.journals, "The journals of one or more sessions")->required();
  balance_command->add_option("--target", target, "The loudness that the whole should have, such as \"-23 LUFS\"");
  balance_command->add_option("--speech", balance_call.speech, "The group whose words are to be understood (default voices)");
  balance_command->add_flag("--apply", balance_call.apply, "Change the gains of sounds that stand out, in the book; no other byte changes");
  balance_command->add_flag("--as-played", balance_call.as_played, "With the player's settings, as the player heard it");
  balance_command->add_flag("--all", balance_call.all, "Print every stretch of covered speech");
  balance_command->add_flag("--json", balance_call.json, "Print one JSON object, for other tools");
  balance_command->footer("Example:\n  tidewater balance examples/harbour/book.toml out/harbour.journal.jsonl --target \"-23 LUFS\"");

  CompareCall compare_call;
  std::string tolerance;
  auto* compare_command = app.add_subcommand("compare", "Play recorded sessions through two versions of a book, and say what has changed");
  compare_command->add_option("A", compare_call.one, "A book, a bank, a folder of banks, or a sound file")->required();
  compare_command->add_option("B", compare_call.other, "The other version")->required();
  compare_command->add_option("JOURNAL", compare_call.journals, "The journals of one or more sessions; none for two sound files");
  compare_command->add_option("--tolerance", tolerance, "The change of level up to which the exit status is 0 (default \"0.1 LU\")");
  compare_command->add_option("--picture", compare_call.picture, "Draw both timelines and what differs (.png, .svg)")
      ->check(picture_ending);
  compare_command->add_flag("--as-played", compare_call.as_played, "With the player's settings, as the player heard it");
  compare_command->add_flag("--json", compare_call.json, "Print one JSON object, for other tools");
  compare_command->footer(
      "Exit status: 0 within the tolerance, 1 beyond it, 2 for what cannot be read.\nExample:\n"
      "  tidewater compare yesterday/book.toml book.toml monday.journal.jsonl --tolerance \"0.1 LU\"");

  StressCall stress_call;
  auto* stress_command = app.add_subcommand("stress", "Measure how many voices this machine can mix; takes about a minute");
  stress_command->add_option("--block", stress_call.block, "Frames a block (default 256)")->check(CLI::Range(16, 8192));
  stress_command->add_option("--rate", stress_call.rate, "Frames a second (default 48000)")->check(CLI::Range(8000, 192000));
  std::string stress_quality = "standard";
  stress_command->add_option("--quality", stress_quality, "Quality of filtered and streamed voices: standard (default) or fine")
      ->check(CLI::IsMember({"standard", "fine"}));
  stress_command->add_option("--picture", stress_call.picture, "Draw block time against voices to this file (.png, .svg)")
      ->check(picture_ending);
  stress_command->footer("Example:\n  tidewater stress --block 128 --picture out/stress.png");

  try {
    require_command(app, argc, argv);
    app.parse(argc, argv);
    if (!every.empty()) {
      auto read = read_seconds(every);
      if (!read.value || *read.value <= Seconds{0})
        throw CLI::ValidationError("--every", read.value ? "must be longer than nothing" : read.problem);
      audition_call.every = *read.value;
    }
    for (const auto& kind : check_call.only) require_kind(kind);
    if (!target.empty()) balance_call.target = Decibels{number_with_unit("--target", target, "LUFS", -70, 0)};
    if (!tolerance.empty()) compare_call.tolerance = number_with_unit("--tolerance", tolerance, "LU", 0, 100);
    for (const auto& trait : traits) {
      const auto equals = trait.find('=');
      if (equals == std::string::npos || equals == 0) throw CLI::ValidationError("--trait", "must be NAME=VALUE, such as surface=steel");
      audition_call.traits.emplace_back(trait.substr(0, equals), trait.substr(equals + 1));
    }
  } catch (const CLI::ParseError& error) {
    std::ostringstream out, problems;
    const int code = app.exit(error, out, problems);
    say("{}", out.str());
    complain("{}", problems.str());
    return code == 0 ? fine : bad_call;
  }

  if (*check_command) return check(check_call);
  stress_call.fine = stress_quality == "fine";
  if (*desk_command) return desk(desk_call);
  if (*gather_command) return gather(gather_call);
  if (*sketch_command) return sketch(sketch_call);
  if (*credits_command) return credits(credits_call);
  if (*journal_command) return journal(journal_call);
  if (*show_command) return show(show_call);
  if (*pack_command) return pack(pack_call);
  weigh_call.has_against = against->count() > 0;
  if (*weigh_command) return weigh(weigh_call);
  if (*names_command) return names(names_call);
  if (*why_command) return why(why_call);
  if (*missing_command) return missing(missing_call);
  if (*unpack_command) return unpack(unpack_call);
  if (*verify_command) return verify(verify_call);
  if (*stress_command) return stress(stress_call);
  if (*balance_command) return balance(balance_call);
  if (*compare_command) return compare_or_bad_call(compare_call);
  if (*audition_command) return audition(audition_call);
  if (*place_command) return place(place_call);
  if (*score_command) return score(score_call);
  if (render_call.output.empty() && render_call.picture.empty() && render_call.journal_out.empty()) {
    complain("give --output, --picture or --journal; otherwise nothing of the rendering would be kept\n");
    return bad_call;
  }
  if (*render_seed) render_call.seed = seed;
  return render(render_call);
}

}  // namespace

int main(int argc, char** argv) {
  tidewater::tool::keep_memory();
  try {
    return run(argc, argv);
  } catch (const Error& error) {
    tidewater::tool::complain("{}\n", error.what());
  } catch (const std::exception& error) {
    tidewater::tool::complain("tidewater: {}\n", error.what());
  }
  return bad_input;
}
