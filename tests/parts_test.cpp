#include <catch2/catch.hpp>
#include <map>

#include "groups/groups.hpp"
#include "notebook/sums.hpp"
#include "play/loaded.hpp"
#include "play/update_log.hpp"
#include "play/watch.hpp"
#include "terms/agenda.hpp"
#include "voices/link.hpp"
#include "voices/voices.hpp"

using namespace tidewater;

// Each part of the control side by itself, without a manager.

namespace {

std::shared_ptr<BankData> bank_with(const std::string& name, int rank = 5, Seconds length = Seconds{1}) {
  auto data = std::make_shared<BankData>();
  data->name = name;
  data->rate = {48000};
  data->clips.push_back(make_clip("clip", 1, std::vector<float>(static_cast<std::size_t>(48000 * length.value), 0.5F)));
  data->groups = {{{}, "master", 0}};
  BankSound& sound = data->sounds.emplace_back();
  sound.name = "sound";
  sound.rank = rank;
  sound.layers.resize(1);
  sound.layers[0].choices = {{{}, {{}}, false}};
  data->events = {{"event", {{{.verb = Verb::start}, 0}}}};
  return data;
}

struct Playing {
  explicit Playing(std::uint32_t voices, int rank = 5)
      : pool({{48000}, voices, 64, Quality::standard, false}, link, notebook, levels, limits, reader, agenda) {
    data = bank_with("bank", rank);
    sound.home = &bank;
    sound.bank = data.get();
    sound.design = &data->sounds[0];
    bank.clips = LiveClips(1);
    bank.clips.give(bank.clips[0], data->clips[0]);
    heard.fit(false);
  }

  /// What becomes of a start, `level` louder or softer than its clip.
  std::pair<Outcome, const LiveStart*> start(std::uint64_t raise, Decibels level = {}) {
    settle();
    const ScopeFrame base = scopes.from(0, link.base());
    pool.freshen_claims();
    Gated gated = pool.gate(sound, heard, {0, 0, base});
    if (gated.held()) return {gated.outcome, nullptr};
    Candidate candidate;
    candidate.layer = &data->sounds[0].layers[0];
    candidate.clip = &data->clips[0];
    candidate.step = pool.step_of(sound, {});
    candidate.gain = level;
    candidate.starts = base;
    candidate.own = candidate.level = Level(candidate.clip->level + level);
    pool.share({raise, 1}, {&candidate, 1}, gated.verdict);
    if (candidate.fate == Candidate::Fate::too_late) return {Outcome::pool_full, nullptr};
    heard.add(0, 0, base);
    const LiveStart& begun = pool.begin(sound, {{raise, 1}, 0, 0, base, base, {}, {}}, {&candidate, 1}, gated.verdict);
    link.commit();
    return {outcome_of(candidate.fate), &begun};
  }
  void settle() {
    for (link.read_clock(notebook); link.report() != nullptr; link.drop_report()) pool.take(*link.report());
  }
  void render(int frames) {
    std::vector<float> block(static_cast<std::size_t>(2 * frames));
    link.render(block);
    settle();
    pool.tend();
    link.commit();
  }

  Link link{{16, 48000, Layout::stereo, false}, true};
  Notebook notebook{256};
  GroupLevels levels{{Level(Decibels{0})}, 1};
  GroupLimits limits;
  std::shared_ptr<BankData> data;
  PlayedBank bank;
  PlayedSound sound;
  HeardBefore heard;
  Reader reader;
  ScopeTimes scopes;
  Agenda agenda{scopes};
  Voices pool;
};

}  // namespace

TEST_CASE("starts live in slots: found by name, hung to their sound, used again when all layers are over") {
  Starts starts(3);
  PlayedBank bank;
  PlayedSound sound;
  sound.home = &bank;
  LiveStart& first = starts.begin(sound, {1, 1});
  LiveLayer& leading = starts.add_layer(first);
  leading.stage = Stage::sounding;
  LiveLayer& further = starts.add_layer(first);
  further.stage = Stage::sounding;
  CHECK(first.layers == &leading);
  CHECK(starts.has_room(1));
  CHECK(!starts.has_room(2));
  LiveStart& second = starts.begin(sound, {2, 1});
  starts.add_layer(second).stage = Stage::dormant;
  CHECK(sound.latest == &second);
  CHECK(starts.find({StartRef::any_slot, {1, 1}}) == &first);
  CHECK(starts.find({first.slot, {1, 1}}) == &first);
  CHECK(starts.find({second.slot, {1, 1}}) == nullptr);
  CHECK(bank.playing == 2);
  CHECK(!starts.end(leading));
  CHECK(starts.end(further));
  CHECK(starts.find({StartRef::any_slot, {1, 1}}) == nullptr);
  CHECK(bank.playing == 1);
  CHECK(second.earlier == nullptr);
  CHECK(starts.count() == 1);
  CHECK(starts.has_room(2));
}

TEST_CASE("claims: what is heard, then rank, then loudness, then youth; a swap needs three decibels") {
  const auto claim = [](int rank, double level, std::uint64_t raise) { return Claim(rank, Level(Decibels{level}), raise); };
  CHECK(claim(9, -130, 9) < claim(0, -119, 1));
  CHECK(claim(4, 0, 9) < claim(5, -60, 1));
  CHECK(claim(5, -10, 9) < claim(5, -9.99, 1));
  CHECK(claim(5, -10, 1) < claim(5, -10, 2));
  CHECK(!claim(5, -7.01, 2).clearly_over(claim(5, -10, 1)));
  CHECK(claim(5, -6.99, 2).clearly_over(claim(5, -10, 1)));
  CHECK(claim(9, 24, 1) < Claim::none());
}

TEST_CASE("a pool finds the weakest voice, also among those that do not leave") {
  VoicePool pool(4);
  std::array<LiveLayer, 2> layers;
  const std::uint32_t loud = pool.take(layers[0]), soft = pool.take(layers[1]);
  pool.claim(loud, Claim(5, Level(Decibels{-3}), 1));
  pool.claim(soft, Claim(5, Level(Decibels{-9}), 2));
  CHECK(pool.weakest() == soft);
  CHECK(pool.weakest_but([&](const LiveLayer& its) { return &its == &layers[1]; }) == loud);
  CHECK(pool.weakest_but([](const LiveLayer&) { return false; }) == soft);
  CHECK(pool.weakest_but([](const LiveLayer&) { return true; }) == VoicePool::none);
  CHECK(&pool.give_back(soft) == &layers[1]);
  CHECK(pool.free() == 3);
  CHECK(pool.take(layers[1]) == soft);  // the lowest
}

TEST_CASE("an agenda gives back what is due in order, whatever left it in between, and also after a saved state") {
  Random random(9);
  ScopeTimes scopes;
  Agenda agenda{scopes};
  std::map<std::pair<std::int64_t, std::uint32_t>, Agenda::Ticket> expected;  // by frame and order of adding
  std::uint32_t added = 0;
  const auto who = [&](Agenda::Ticket ticket) {
    const Due& due = agenda[ticket];
    return due.kind == Due::Kind::layer ? due.number : static_cast<std::uint32_t>(agenda.response(due).id.raise);
  };
  for (int step = 0; step < 20'000; ++step) {
    const std::uint32_t what = random.below(5);
    if (what < 3) {
      const std::int64_t frame = random.below(1000);
      expected[{frame, added}] =
          random.below(2) == 0 ? agenda.add_layer(0, {frame}, added) : agenda.add_response(0, {frame}, {.id = {added, 1}});
      ++added;
    } else if (what == 3 && !expected.empty()) {
      auto leaves = std::next(expected.begin(), random.below(static_cast<std::uint32_t>(expected.size())));
      CHECK(who(leaves->second) == leaves->first.second);
      agenda.remove(leaves->second);
      expected.erase(leaves);
    } else if (!expected.empty()) {
      const auto first = expected.begin();
      CHECK(agenda.due_by({first->first.first - 1}).first == Agenda::no_ticket);
      const auto [ticket, frame] = agenda.due_by({first->first.first});
      CHECK(ticket == first->second);
      CHECK(who(ticket) == first->first.second);
      CHECK(frame.value == first->first.first);
      agenda.remove(ticket);
      expected.erase(first);
    }
    if (step % 5000 == 0) {
      StateOut out;
      agenda.state(out);
      const std::vector<std::byte> bytes = out.take();
      StateIn in(bytes);
      agenda = Agenda(scopes);
      agenda.state(in);
      REQUIRE(in.ok());
    }
  }
  std::size_t responses = 0;
  for (const auto& [when, ticket] : expected) responses += agenda[ticket].kind == Due::Kind::response ? 1U : 0U;
  CHECK(agenda.responses() == responses);
}

TEST_CASE("spacing goes by what was heard, for all emitters or each") {
  HeardBefore all, each;
  all.fit(false);
  each.fit(true);
  for (HeardBefore* heard : {&all, &each}) heard->add(7, 0, {1000});
  CHECK(all.near(8, 0, {1099}, 100));
  CHECK(!all.near(8, 0, {1100}, 100));
  CHECK(all.near(8, 0, {901}, 100));
  CHECK(each.near(7, 0, {1099}, 100));
  CHECK(!each.near(8, 0, {1099}, 100));
  CHECK(all.latest(0).value == 1000);
  all.add(7, 1, {5000});
  CHECK(all.near(8, 1, {5050}, 100));
  CHECK(!all.near(8, 0, {1050}, 100));           // a frame of one scope says nothing of another's
  CHECK(all.latest(1) > ScopeFrame{1'000'000});  // and so nothing is known of the latest
}

TEST_CASE("voices: the louder takes the voice, what is long sleeps, and wakes when there is room") {
  Playing game(1);
  game.data->sounds[0].layers[0].loop = true;
  CHECK(game.start(1, Decibels{-10}).first == Outcome::started);
  game.render(4800);
  CHECK(game.start(2, Decibels{-20}).first == Outcome::dormant);
  CHECK(game.start(3, Decibels{-3}).first == Outcome::started);
  game.render(4800);
  CHECK(game.pool.count().sounding == 1);
  CHECK(game.pool.count().dormant == 2);
  Voices::each_layer(*game.pool.find({StartRef::any_slot, {3, 1}}), [&](LiveLayer& layer) { game.pool.leave(layer, {}, Ending::stopped); });
  for (int i = 0; i < 3; ++i) game.render(4800);
  CHECK(game.pool.find({StartRef::any_slot, {3, 1}}) == nullptr);
  CHECK(game.pool.count().sounding == 1);
  CHECK(game.pool.find({StartRef::any_slot, {1, 1}})->layers->stage == Stage::sounding);  // the louder of the two
  game.pool.hand_out_ended();
  REQUIRE(game.pool.ended().size() == 1);
  CHECK(game.pool.ended()[0].id == PlaybackId{3, 1});
  CHECK(game.pool.ended()[0].how == Ending::stopped);
}

TEST_CASE("voices: asking for a verdict silences nobody") {
  Playing game(1, 9);
  game.data->sounds[0].limit = 1;
  CHECK(game.start(1).first == Outcome::started);
  game.render(480);
  PlayedSound other = game.sound;
  BankSound lower = game.data->sounds[0];
  lower.rank = 0;
  other.design = &lower;
  other.latest = nullptr;
  const Gated same = game.pool.gate(game.sound, game.heard, {0, 0, game.scopes.from(0, game.link.base())});
  CHECK(!same.held());
  CHECK(same.verdict.leaving().size() == 1);  // the first would yield to the limit
  Gated gated = game.pool.gate(other, game.heard, {0, 0, game.scopes.from(0, game.link.base())});
  CHECK(!gated.held());
  CHECK(gated.verdict.leaving().empty());
  Candidate candidate;
  candidate.layer = &lower.layers[0];
  candidate.clip = &game.data->clips[0];
  candidate.level = Level(Decibels{20});
  candidate.step = game.pool.step_of(game.sound, {});
  game.pool.share({2, 1}, {&candidate, 1}, gated.verdict);
  CHECK(candidate.fate == Candidate::Fate::too_late);
  CHECK(game.pool.count().sounding == 1);
  CHECK(game.pool.count().fading == 0);
}

TEST_CASE("a hundred thousand commands for one group between two blocks are taken in, and time goes on") {
  Link link({4, 48000, Layout::stereo, false}, true);
  Notebook notebook(256);
  link.read_clock(notebook);
  link.send(DefineGroup{0, 0, 1});
  for (int i = 0; i < 100'000; ++i) link.send(SetGroupGain{0, static_cast<float>(i % 7), 0});
  link.commit();
  std::vector<float> block(2 * 64);
  link.render(block);
  link.read_clock(notebook);
  link.commit();
  CHECK(link.now().at.value == 64);
  CHECK(link.base().value == 64 + 63);
}

TEST_CASE("groups let through what the loudest of a change does, and then what was asked") {
  Groups groups;
  const std::vector<BankGroup> book = {{{}, "master", 0}, {{Decibels{-6}, false, {}, {}}, "near", 0}};
  const Numbers::Plan plan = groups.names().plan(names_of(book));
  groups.add(book, plan.numbers, {});
  const std::uint32_t near = groups.names().find("near");
  REQUIRE(near == plan.numbers[1]);
  CHECK(groups.levels().heard[near] == Level(Decibels{-6}));
  groups.set_mute(0, true, {{500}, 500});
  CHECK(groups.levels().heard[near].audible());
  groups.settle({999});
  CHECK(groups.levels().heard[near].audible());
  groups.settle({1000});
  CHECK(!groups.levels().heard[near].audible());
  CHECK(groups.why_silent(near, Hertz{48000}).code == Reason::Code::muted);
}

TEST_CASE("what is loaded is known by name; what was remembered of a sound outlives its bank") {
  Loaded loaded;
  Loading loading = loaded.prepare_to_load(bank_with("one"), LiveClips(), 1);
  LiveBank& one = loaded.load(loading);
  CHECK(loaded.catalogue()->find("event")->bank == &one);
  one.sounds[0].memory->asked = 5;
  Loading leaving = loaded.prepare_to_unload("one");
  REQUIRE(leaving.leaving == &one);
  loaded.unload(leaving);
  one.unloaded = true;
  CHECK(loaded.catalogue()->find("event") == nullptr);
  CHECK(loaded.catalogue()->lost_with("event") == "one");
  CHECK(loaded.take_silent().size() == 1);
  Loading again = loaded.prepare_to_load(bank_with("two"), LiveClips(), 1);
  CHECK(loaded.load(again).sounds[0].memory->asked == 5);
}

TEST_CASE("updates at an even pace are runs that grow to sixty; a game that stands still is told once") {
  UpdateLog log;
  std::vector<noted::Updates> runs;
  const auto write = [&](const noted::Updates& run) { runs.push_back(run); };
  for (std::int64_t frame = 800; frame <= 80'000; frame += 800) log.update({frame}, 0, write);
  log.update({80'001}, 0, write);
  log.finish(write);
  const std::vector<std::uint64_t> lengths = {1, 2, 4, 8, 16, 32, 37, 1};  // what a crash loses is no longer than what was written
  REQUIRE(runs.size() == lengths.size());
  for (std::size_t i = 0, before = 0; i < lengths.size(); before += lengths[i++]) {
    CHECK(runs[i].times == lengths[i]);
    if (lengths[i] > 1) CHECK((runs[i].first.value == static_cast<std::int64_t>(before + 1) * 800 && runs[i].every.value == 800));
  }

  Watch watch;
  int told = 0;
  for (int i = 0; i < 100; ++i) told += watch.stands_still({0}, Seconds{0.1}, true) ? 1 : 0;
  CHECK(told == 1);
  CHECK(!watch.stands_still({1}, Seconds{5}, true));
}

TEST_CASE("a notebook counts what finds no room, and sums tell which room decided otherwise") {
  Notebook notebook(2);
  for (int i = 0; i < 3000; ++i) notebook.add({i}, EndedNote{});
  const auto lost = notebook.take_lost();
  CHECK(notebook.notes().size() + lost == 3000);
  CHECK(lost > 0);
  CHECK(!notebook.has_room(0));

  const auto second = [](const Note& note) {
    RunningSums sums({48000});
    sums.take(note);
    return *sums.take({{48000}, EndedNote{}});
  };
  const auto ended = second({{0}, EndedNote{{1, 1}, nullptr, Ending::finished}}),
             stopped = second({{0}, EndedNote{{1, 1}, nullptr, Ending::stopped}});
  CHECK(ended.voices != stopped.voices);
  CHECK(ended.choose == stopped.choose);
  CHECK(ended.play == stopped.play);
}
