// Figures about a mix: taps, loudness over a thing's own time, what covers speech, and the comparison of two versions.

#include <ebur128.h>

#include <catch2/catch.hpp>
#include <cmath>
#include <map>
#include <random>

#include "stage.hpp"
#include "tidewater/author/balance.hpp"
#include "tidewater/author/compare.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/error.hpp"
#include "tidewater/taps.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;

namespace {

std::vector<float> noise(unsigned seed, double seconds, double level) {
  std::mt19937 random(seed);
  std::normal_distribution<float> normal(0, static_cast<float>(amplitude(Decibels{level})));
  std::vector<float> samples(static_cast<std::size_t>(seconds * 48000));
  for (float& its : samples) its = normal(random);
  return samples;
}

/// Two sounds in a group, one of them far louder, speech, and a murmur that covers it from the second second on.
std::string book_with(const std::string& loud_gain = "-4 dB", const std::string& effects = "-3 dB") {
  return "[groups.effects]\ngain = \"" + effects + "\"\n[groups.voices]\nplayer = true\n" +
         "[sounds.loud]\ngroup = \"effects\"\nclips = [\"long.wav\"]\ngain = \"" + loud_gain + "\"\n" +
         "[sounds.low]\ngroup = \"effects\"\nclips = [\"low.wav\"]\ngain = \"-20 dB .. -18 dB\"  # far away\n" +
         "[sounds.talk]\ngroup = \"voices\"\nclips = [\"talk.wav\"]\n[sounds.murmur]\ngroup = \"effects\"\nclips = [\"murmur.wav\"]\n" +
         "[events.loud]\nstart = \"loud\"\n[events.low]\nstart = \"low\"\n[events.talk]\nstart = \"talk\"\n[events.murmur]\nstart = "
         "\"murmur\"\n";
}

void more_clips(const Folder& folder) {
  folder.write_clip("clips/talk.wav", noise(1, 4, -30));
  folder.write_clip("clips/murmur.wav", noise(2, 2, -24));
}

/// A recorded session of a book, and the bank that it was recorded with.
struct Recorded {
  JournalScript script;
  Bank bank;
  std::vector<float> samples;
};
Recorded record(const std::string& book, Hertz rate = {48000}, const std::function<void(SoundManager&)>& before = {}) {
  Folder folder;
  write_stage_clips(folder);
  more_clips(folder);
  folder.write("book.toml", book_head + book);
  const Bank bank = compile_book(folder.path("book.toml"), {.rate = rate});
  Recorded recorded{.script = {}, .bank = bank, .samples = {}};
  {
    JournalFile journal(folder.path("s.jsonl"));
    {
      SoundManager manager({.rate = rate, .journal = journal.sink(), .offline = true});
      manager.load(bank);
      if (before) before(manager);
      std::vector<float> out(2 * static_cast<std::size_t>(rate.value / 50));
      const std::map<int, const char*> events = {{0, "talk"}, {10, "loud"}, {20, "low"}, {60, "low"}, {100, "murmur"}, {150, "low"}};
      for (int step = 0; step < 230; ++step) {
        if (const auto its = events.find(step); its != events.end()) manager.raise(its->second);
        manager.update(Seconds{0.02});
        manager.render(out);
        recorded.samples.insert(recorded.samples.end(), out.begin(), out.end());
      }
    }
    journal.close();
  }
  recorded.script = read_journal(folder.path("s.jsonl"));
  return recorded;
}

double lufs(std::span<const float> stereo, Hertz rate) {
  ebur128_state* meter = ebur128_init(2, static_cast<unsigned long>(rate.value), EBUR128_MODE_I);
  ebur128_add_frames_float(meter, stereo.data(), stereo.size() / 2);
  double value = 0;
  ebur128_loudness_global(meter, &value);
  ebur128_destroy(&meter);
  return value;
}

double range(std::span<const float> stereo, Hertz rate) {
  ebur128_state* meter = ebur128_init(2, static_cast<unsigned long>(rate.value), EBUR128_MODE_LRA);
  ebur128_add_frames_float(meter, stereo.data(), stereo.size() / 2);
  double value = 0;
  ebur128_loudness_range(meter, &value);
  ebur128_destroy(&meter);
  return value;
}

double true_peak(std::span<const float> stereo, Hertz rate) {
  ebur128_state* meter = ebur128_init(2, static_cast<unsigned long>(rate.value), EBUR128_MODE_TRUE_PEAK);
  ebur128_add_frames_float(meter, stereo.data(), stereo.size() / 2);
  double left = 0, right = 0;
  ebur128_true_peak(meter, 0, &left);
  ebur128_true_peak(meter, 1, &right);
  ebur128_destroy(&meter);
  return decibels(std::max(left, right)).value;
}

const BalanceRow& row(const std::vector<BalanceRow>& rows, const std::string& name) {
  const auto found = std::find_if(rows.begin(), rows.end(), [&](const BalanceRow& its) { return its.name == name; });
  REQUIRE(found != rows.end());
  return *found;
}

}  // namespace

TEST_CASE("a tap hears what each sound and each group adds, and changes no sample") {
  const Recorded plain = record(book_with());
  std::map<std::string, double> most, groups;
  const auto listen = [&](SoundManager& manager) {
    tap(manager, {.sound =
                      [&](const TappedSound& its) {
                        for (const float x : its.left)
                          most[std::string(its.sound)] = std::max(most[std::string(its.sound)], std::abs(static_cast<double>(x)));
                      },
                  .group =
                      [&](const TappedGroup& its) {
                        for (const float x : its.left)
                          groups[std::string(its.group)] = std::max(groups[std::string(its.group)], std::abs(static_cast<double>(x)));
                      }});
  };
  CHECK(record(book_with(), {48000}, listen).samples == plain.samples);
  const double middle = std::sqrt(0.5);
  CHECK(decibels(most["loud"] / (0.5 * middle)).value == Approx(-4).margin(0.01));
  CHECK(groups["effects"] < most["loud"] + most["murmur"] + most["low"]);
  CHECK(groups.contains("voices"));
  CHECK(groups.contains("master"));
}

TEST_CASE("loudness over a sound's own time is what the standard's library measures of it alone") {
  for (const Hertz rate : {Hertz{48000}, Hertz{44100}}) {
    const Recorded its = record(book_with(), rate);
    const Balance balance = balance_of(std::span(&its.bank, 1), std::span(&its.script, 1));
    CHECK(balance.integrated.value == Approx(lufs(its.samples, rate)).margin(0.05));
    CHECK(balance.range == Approx(range(its.samples, rate)).margin(0.3));
    CHECK(balance.true_peak.value == Approx(true_peak(its.samples, rate)).margin(0.02));
    // A tone of 500 Hz that peaks at -6 dB, -4 dB of its own and -3 dB of its group: alone by the library.
    const double level = amplitude(Decibels{-6.02 - 4 - 3}) * std::sqrt(0.5);
    CHECK(row(balance.sounds, "loud").integrated.value == Approx(lufs(sine(500, 2, 2, level, rate.value), rate)).margin(0.05));
    CHECK(row(balance.sounds, "loud").heard.value == Approx(2).margin(0.03));
    CHECK(row(balance.sounds, "low").playbacks == 3);
    CHECK(row(balance.sounds, "low").heard.value == Approx(1.5).margin(0.05));
    CHECK(row(balance.groups, "voices").integrated.value == Approx(row(balance.sounds, "talk").integrated.value).margin(0.05));
  }
}

TEST_CASE("what stands out is listed with the gain at which it would not, and that gain is the book's smallest edit") {
  const Recorded its = record(book_with());
  const Balance balance = balance_of(std::span(&its.bank, 1), std::span(&its.script, 1));
  const BalanceRow& low = row(balance.sounds, "low");
  CHECK(low.stands_out);
  CHECK(low.turn > 0);
  Folder folder;
  write_stage_clips(folder);
  more_clips(folder);
  const std::string text = book_head + book_with();
  folder.write("book.toml", text);
  const std::string path = folder.path("book.toml");
  const Book book = parse_book(text, path).book;
  const auto moved = [&](const std::string& name, double by) {
    for (const BookSound& sound : book.sounds)
      if (sound.name == name) return gain_moved(text, sound, Decibels{by});
    return BookEdit{};
  };
  const EditedBook edited = edit_book(text, path, std::vector{moved("low", low.turn)});
  REQUIRE(edited.all_made());
  const std::string before = *edited.outcomes[0].before, after_it = *moved("low", low.turn).value;
  CHECK(before == "\"-20 dB .. -18 dB\"");
  const std::size_t at = text.find(before);
  CHECK(edited.text == text.substr(0, at) + after_it + text.substr(at + before.size()));
  const Recorded after = record(edited.text.substr(book_head.size()));
  const Balance now = balance_of(std::span(&after.bank, 1), std::span(&after.script, 1));
  CHECK(std::abs(row(now.sounds, "low").from_group) < 6.5);  // raised, it raises its group a little

  const EditedBook added = edit_book(text, path, std::vector{moved("talk", -2)});
  CHECK_THAT(added.text, Contains("gain  = \"-2 dB\"\n"));
  CHECK(added.outcomes[0].line > 0);
}

TEST_CASE("the speech index is a half at equal power in each band, one 15 dB above it, and nothing 15 dB below") {
  const std::vector<float> speech = noise(5, 4, -20);
  const auto index = [&](double decibels) {
    std::vector<float> rest = speech;
    for (float& its : rest) its *= static_cast<float>(amplitude(Decibels{-decibels}));
    return speech_index(speech, rest, {48000});
  };
  CHECK(index(0) == Approx(0.5).margin(0.02));
  CHECK(index(15) == Approx(1).margin(0.02));
  CHECK(index(-15) == Approx(0).margin(0.02));
  // Of two noises that only have the same power it is nearly so: each frame differs a little.
  CHECK(speech_index(speech, noise(6, 4, -20), {48000}) == Approx(0.5).margin(0.02));
  CHECK(speech_index(speech, noise(6, 4, -40), {44100}) > 0.97);
  // Rumble as loud as speech covers nothing.
  CHECK(speech_index(speech, sine(60, 4, 1, 0.3), {48000}) > 0.95);
}

TEST_CASE("covered speech is told with the seconds and the sounds that cover it") {
  const Recorded its = record(book_with());
  const Balance balance = balance_of(std::span(&its.bank, 1), std::span(&its.script, 1));
  CHECK(balance.speech_group == "voices");
  CHECK(balance.speech.value == Approx(4).margin(0.3));
  REQUIRE(balance.covered.size() == 1);
  CHECK(balance.covered[0].from.value == Approx(2));
  CHECK(balance.covered[0].length.value == Approx(2));
  REQUIRE(!balance.covered[0].by.empty());
  CHECK(balance.covered[0].by[0] == "murmur");
  const Balance none = balance_of(std::span(&its.bank, 1), std::span(&its.script, 1), {.speech = "nobody"});
  CHECK(none.speech_group.empty());
}

TEST_CASE("sessions of unlike rates, and none at all, are refused") {
  const Recorded one = record(book_with()), other = record(book_with(), {44100});
  const std::vector<JournalScript> both = {one.script, other.script};
  CHECK_THROWS_WITH(balance_of(std::span(&one.bank, 1), both), Contains("measure them one by one"));
  CHECK_THROWS_WITH(balance_of(std::span(&one.bank, 1), {}), Contains("name a journal"));
  CHECK_THROWS_AS(compare({ComparedVersion{std::span(&one.bank, 1)}, ComparedVersion{std::span(&one.bank, 1)}}, both), Error);
}

TEST_CASE("figures leave the player's settings out, unless they are asked for") {
  const Recorded its = record(book_with(), {48000}, [](SoundManager& manager) { manager.set_player_level("voices", 0.5); });
  const auto talk = [&](bool as_played) {
    return row(balance_of(std::span(&its.bank, 1), std::span(&its.script, 1), {.as_played = as_played}).sounds, "talk").integrated.value;
  };
  CHECK(talk(true) == Approx(talk(false) - 10).margin(0.1));
}

TEST_CASE("two versions of a book are the same bit for bit, or every difference is told once, where it is") {
  const Recorded its = record(book_with());
  const auto against = [&](const std::string& book) {
    const Recorded other = record(book);
    return compare({ComparedVersion{std::span(&its.bank, 1)}, ComparedVersion{std::span(&other.bank, 1)}}, std::span(&its.script, 1));
  };
  const Comparison same = against(book_with());
  CHECK(same.same);
  CHECK(same.within(0));

  const Comparison quieter = against(book_with("-4 dB", "-6 dB"));
  REQUIRE(quieter.groups.size() == 1);  // and none of its sounds
  CHECK(quieter.groups[0].name == "effects");
  CHECK(quieter.groups[0].level == Approx(-3).margin(0.01));
  CHECK(quieter.sounds.empty());
  CHECK_FALSE(quieter.within(0.1));
  CHECK(quieter.within(3.1));

  const Comparison louder = against(book_with("-2.5 dB"));
  REQUIRE(louder.sounds.size() == 1);
  CHECK(louder.sounds[0].name == "loud");
  CHECK(louder.sounds[0].level == Approx(1.5).margin(0.02));
  CHECK(louder.sounds[0].timing == 0);
  CHECK(louder.sounds[0].bands.empty());

  const auto changed = [&](const std::string& from, const std::string& to) {
    std::string book = book_with();
    book.replace(book.find(from), from.size(), to);
    return against(book);
  };
  const Comparison bent = changed("gain = \"-4 dB\"", "gain = \"-4 dB\"\npitch = \"3 st\"");
  REQUIRE(bent.sounds.size() == 1);
  CHECK(bent.sounds[0].drawn_pitch == Approx(3));
  CHECK(bent.sounds[0].measured_pitch == Approx(3).margin(0.1));
  const Comparison later = changed("gain = \"-4 dB\"", "gain = \"-4 dB\"\ndelay = \"10 ms\"");
  REQUIRE(later.sounds.size() == 1);
  CHECK(later.sounds[0].timing == 480);
  CHECK(later.sounds[0].level == Approx(0).margin(0.05));
  const Comparison duller = changed("clips = [\"murmur.wav\"]", "clips = [\"murmur.wav\"]\nlow-pass = \"2 kHz\"");
  REQUIRE(duller.sounds.size() == 1);
  CHECK(duller.sounds[0].name == "murmur");
  CHECK(duller.sounds[0].bands.size() > 5);
  const Comparison gone = changed("[events.low]\nstart = \"low\"", "[events.low]\nstart = \"talk\"");
  CHECK(std::any_of(gone.sounds.begin(), gone.sounds.end(),
                    [](const ComparedSound& sound) { return sound.name == "low" && sound.how == ComparedSound::How::missing; }));
  CHECK(std::any_of(gone.sounds.begin(), gone.sounds.end(),
                    [](const ComparedSound& sound) { return sound.name == "talk" && sound.starts == 3; }));
  CHECK_FALSE(gone.within(100));
}

TEST_CASE("a watched group's loudness is that of the standard, at any rate and layout, through fades and silences") {
  for (const double rate : {8000.0, 44100.0, 48000.0, 96000.0}) {
    Stage books(
        "[groups.music]\n[groups.effects]\n[sounds.hum]\ngroup = \"music\"\nclips = [\"hum.wav\"]\nloop = true\n[sounds.wide]\ngroup = "
        "\"effects\"\nclips = [\"wide.wav\"]\nloop = true\n[events.hum]\nstart = \"hum\"\n[events.wide]\nstart = "
        "\"wide\"\n[events.hush]\nstop = \"wide\"\n");
    SoundManager manager({.rate = Hertz{rate}, .offline = true, .limiter = false}),
        unwatched({.rate = Hertz{rate}, .offline = true, .limiter = false});
    for (SoundManager* its : {&manager, &unwatched}) its->load(*books.bank);
    CHECK(!manager.loudness("music"));
    CHECK(!manager.watch_loudness("nonsense"));
    for (const char* group : {"master", "music", "effects"}) CHECK(manager.watch_loudness(group));
    ebur128_state* standard = ebur128_init(2, static_cast<unsigned long>(rate), EBUR128_MODE_M | EBUR128_MODE_S);
    const auto tenth = static_cast<std::size_t>(rate / 10);
    std::vector<float> block(2 * tenth), other(2 * tenth);
    std::vector<std::array<double, 2>> theirs, ours;
    for (int i = 0; i < 80; ++i) {
      for (SoundManager* its : {&manager, &unwatched}) {
        if (i == 0) its->raise("hum");
        if (i == 20) its->raise("wide"), its->set_gain("music", Decibels{-20}, Seconds{1.5});
        if (i == 50) its->raise("hush");
        if (i == 60) its->set_gain("master", Decibels{-6}, Seconds{0.5});
        its->update({});
      }
      manager.render(block), unwatched.render(other);
      REQUIRE(block == other);
      ebur128_add_frames_float(standard, block.data(), tenth);
      double momentary = 0, short_term = 0;
      ebur128_loudness_momentary(standard, &momentary);
      ebur128_loudness_shortterm(standard, &short_term);
      theirs.push_back({momentary, short_term});
      const GroupLoudness its = *manager.loudness("master");
      ours.push_back({its.momentary.value, its.short_term.value});
    }
    // The mixer works in runs of 64 frames, so its tenths of a second may end a little beside those of the standard.
    double worst = 0;
    for (std::size_t i = 31; i + 1 < ours.size(); ++i)
      for (const std::size_t which : {0U, 1U}) {
        const auto [low, high] = std::minmax({theirs[i - 1][which], theirs[i][which], theirs[i + 1][which]});
        worst = std::max({worst, low - ours[i][which], ours[i][which] - high});
      }
    INFO(rate << " Hz");
    CHECK(worst < 0.1);
    CHECK(manager.loudness("effects")->momentary.value < -60);
    ebur128_destroy(&standard);
  }
}
