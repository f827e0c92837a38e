#include "tidewater/author/audition.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <set>

#include "author/listen/check_gauges.hpp"
#include "bank/bank_data.hpp"
#include "base/nearest.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/report.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr Seconds longest_take{8};  // a loop is cut off here, so that the next take can be heard
constexpr Seconds between_takes{0.3};
constexpr Seconds when_interrupted{0.05};
constexpr std::int64_t block = 480;
constexpr Decibels most_down{24};

/// What is heard keeps its name in all that is told of it; two sides have two names, in one manager.
std::string event_of(const AuditionSide& side) { return side.label.empty() ? side.name : fmt::format("{} ({})", side.name, side.label); }

std::string unknown_name(const Book& book, const std::string& name) {
  constexpr std::size_t most = 24;
  std::vector<std::string_view> names;
  for (const auto& event : book.events) names.emplace_back(event.name);
  for (const auto& sound : book.sounds) names.emplace_back(sound.name);
  if (std::string near = did_you_mean(name, names); !near.empty()) return near;
  std::string all;
  for (std::size_t i = 0; i < std::min(most, book.sounds.size()); ++i) all += (i == 0 ? "" : ", ") + book.sounds[i].name;
  return fmt::format(
      "; the sounds are {}{}", all,
      book.sounds.size() > most ? fmt::format(" and {} more (`tidewater show {}` lists them)", book.sounds.size() - most, book.file) : "");
}

/// Mean power of a side's takes.
Decibels mean_loudness(const std::vector<AuditionTake>& takes, const std::string& side) {
  double power = 0;
  int count = 0;
  for (const auto& take : takes) {
    if (take.side != side || take.loudness == silence) continue;
    power += std::pow(10, take.loudness.value / 10);
    ++count;
  }
  return count == 0 ? silence : Decibels{10 * std::log10(power / count)};
}

/// Adds the events that the events of `book` raise.
void add_raised(const Book& whole, Book& book) {
  for (std::size_t e = 0; e < book.events.size(); ++e)
    for (std::size_t r = 0; r < book.events[e].responses.size(); ++r) {
      const BookResponse its = book.events[e].responses[r];
      if (its.verb != Verb::raise) continue;
      const auto called = [&](const BookEvent& event) { return event.name == its.target; };
      const auto raised = std::find_if(whole.events.begin(), whole.events.end(), called);
      if (raised != whole.events.end() && std::none_of(book.events.begin(), book.events.end(), called)) book.events.push_back(*raised);
    }
}

}  // namespace

AuditionSide audition_side(const Book& whole, const std::string& name, const std::string& label) {
  AuditionSide side{label, name, whole};
  Book& book = side.book;
  book.name += label;
  const auto event = std::find_if(whole.events.begin(), whole.events.end(), [&](const BookEvent& e) { return e.name == name; });
  const auto sound = std::find_if(whole.sounds.begin(), whole.sounds.end(), [&](const BookSound& s) { return s.name == name; });
  if (event != whole.events.end()) {
    book.events = {{event_of(side), event->responses, event->place}};
    add_raised(whole, book);
  } else if (sound != whole.sounds.end()) {
    BookResponse start;
    start.target = name;
    start.place = sound->place;
    book.events = {{event_of(side), {start}, sound->place}};
  } else {
    throw Error(fmt::format("{}: no sound or event is called '{}'{}", whole.file, name, unknown_name(whole, name)));
  }
  std::erase_if(book.sounds, [&](const BookSound& s) {
    return std::none_of(book.events.begin(), book.events.end(), [&](const BookEvent& its) {
      return std::any_of(its.responses.begin(), its.responses.end(),
                         [&](const BookResponse& r) { return r.acts_on_sound() && r.target == s.name; });
    });
  });
  return side;
}

/// Makes takes of what a journal says and of what is heard.
struct Audition::Taker {
  bool rendered = false;
  const AuditionListener& listener;
  AuditionTake now{};
  std::size_t begun = 0;
  bool open = false;

  void begin(const std::string& side) {
    now = {};
    now.side = side;
    now.number = ++begun;
    open = true;
  }

  void take(const JournalEntry& e) {
    if (listener.journal) listener.journal(e);
    if (!open) return;
    if (const auto* further = e.as<noted::FurtherLayer>(); further != nullptr && plays(further->outcome))
      now.more_clips.push_back(further->layer.clip);
    if (const auto* decision = e.as<noted::Decision>()) take(*decision, e.at);
  }

  void take(const noted::Decision& decision, Frames at) {
    if (decision.start && !now.sound.empty()) {
      now.more_clips.push_back(decision.start->clip);
    } else if (decision.start) {
      now.sound = decision.sound;
      now.clip = decision.start->clip;
      now.gain = decision.start->gain;
      now.pitch = decision.start->pitch;
      now.clip_start = decision.start->clip_start;
      now.starts = decision.start->starts;
      now.why = decision.why;
      tell(false);
    } else if (decision.outcome != Outcome::done && (now.sound.empty() || refused(decision.outcome))) {
      if (now.sound.empty()) now.starts = at;
      now.why = fmt::format("{}: {}", to_text(decision.outcome), decision.why);
      tell(false);
    }
  }

  void take(std::span<const float> samples) {
    if (listener.sound) listener.sound(samples);
    if (open) now.samples.insert(now.samples.end(), samples.begin(), samples.end());
  }

  void end() {
    open = false;
    if (!rendered) return;
    now.loudness = loudness_of(now.samples, rate);
    tell(true);
  }

  void tell(bool over) const {
    if (listener.take && over == rendered) listener.take(now);
  }
};

Audition::Audition(std::vector<AuditionSide> sides, AuditionOptions options) : sides_(std::move(sides)), options_(std::move(options)) {
  for (AuditionSide& side : sides_) {
    check_gauges(side.book, options_.gauges);
    // They are there when the first take begins, and are not on their way.
    for (BookGauge& gauge : side.book.gauges)
      for (const WalkGauge& its : options_.gauges)
        if (gauge.name == its.gauge) gauge.initial = its.from;
  }
  // What starts again and again is heard at its rhythm, each start a take.
  for (AuditionSide& side : sides_)
    for (auto& sound : side.book.sounds) {
      if (options_.every == Seconds{}) options_.every = {(sound.cadence.low.value + sound.cadence.high.value) / 2};
      sound.cadence = {};
    }
  for (AuditionSide& side : sides_) {
    // One after the other nothing crowds; where takes come at a rhythm, what is too soon is to be seen.
    if (options_.every == Seconds{})
      for (auto& sound : side.book.sounds) sound.spacing = {};
    auto data = std::make_shared<BankData>(
        data_of(compile(side.book, {.rate = rate, .target = {}, .language = options_.language, .progress = {}})));
    data->by_itself = true;
    banks_.push_back(bank_of(std::move(data)));
  }
}

/// Raises the sides' events in turn, again and again.
void Audition::play_takes(SoundManager& manager, Taker& taker, const AuditionListener& listener, const Pass& pass) const {
  std::vector<Trait> traits;
  for (const auto& [name, value] : options_.traits) traits.push_back({Name(name), Name(value)});
  const auto goes_on = [&] { return !listener.go_on || listener.go_on(); };
  // True while anything sounds or is due. A delay may be longer than everything before it, so silence alone does not end an audition.
  // `Stats` does not count delayed responses: a take may go on for the longest of their delays.
  std::int64_t longest_delay = 0, quiet_since = 0;
  for (const AuditionSide& side : sides_)
    for (const BookEvent& event : side.book.events)
      for (const BookResponse& response : event.responses)
        if (!response.starts()) longest_delay = std::max(longest_delay, frames(response.delay.high, rate).value);
  const auto sounding = [&] {
    const Stats stats = manager.stats();
    return stats.voices + stats.fading + stats.dormant > 0;
  };
  const auto goes_quiet = [&] {
    if (sounding()) quiet_since = manager.clock().value;
    return manager.clock().value >= quiet_since + longest_delay && !sounding();
  };
  const std::int64_t every = frames(options_.every, rate).value;
  const std::int64_t longest = frames(longest_take, rate).value;
  for (int take = 0; take < options_.times && goes_on(); ++take)
    for (const AuditionSide& side : sides_) {
      if (!goes_on()) break;
      const std::int64_t began = manager.clock().value;
      quiet_since = began;
      manager.set_gain("master", side.trim, Seconds{});
      const double part = options_.times > 1 ? static_cast<double>(take) / (options_.times - 1) : 0;
      for (const WalkGauge& its : options_.gauges) manager.set_gauge(Name(its.gauge), its.from + (its.to - its.from) * part);
      taker.begin(side.label);
      const bool in_world = std::any_of(side.book.sounds.begin(), side.book.sounds.end(),
                                        [](const BookSound& sound) { return sound.world.place == Where::world; });
      if (in_world) {
        // Where it is: at full level, and from ahead as much as from any side.
        manager.set_listener(0, {});
        manager.raise(Name(event_of(side)), std::span<const Trait>(traits), Place{});
      } else {
        manager.raise(Name(event_of(side)), std::span<const Trait>(traits));
      }
      const auto lasts = [&] {
        const std::int64_t played = manager.clock().value - began;
        return every > 0 ? played < every : played < longest && (!goes_quiet() || played == 0);
      };
      while (lasts() && goes_on()) pass(every > 0 ? std::min(block, every - (manager.clock().value - began)) : block);
      if (every == 0) {
        manager.stop_all(between_takes);
        while (sounding() && goes_on()) pass(block);
      }
      taker.end();
    }
  if (!goes_on()) manager.stop_all(when_interrupted);
  const std::int64_t last = manager.clock().value + longest;
  while (!goes_quiet() && manager.clock().value < last) pass(block);
  manager.stop_all(between_takes);
  while (sounding()) pass(block);
}

void Audition::render(const AuditionListener& listener) const {
  Taker taker{true, listener};
  SoundManager manager(
      {.rate = rate, .seed = options_.seed, .journal = [&](const JournalEntry& entry) { taker.take(entry); }, .offline = true});
  for (const auto& bank : banks_) manager.load(bank);
  std::vector<float> samples;
  play_takes(manager, taker, listener, [&](std::int64_t count) {
    manager.update({});
    samples.resize(static_cast<std::size_t>(count) * 2);
    manager.render(samples);
    manager.update({});
    taker.take(samples);
  });
}

void Audition::play(const AuditionListener& listener,
                    const std::function<void(SoundManager&, const std::function<void(const Pass&)>&)>& around) const {
  Taker taker{false, listener};
  SoundManager manager({.rate = rate, .seed = options_.seed, .journal = [&](const JournalEntry& entry) { taker.take(entry); }});
  for (const auto& bank : banks_) manager.load(bank);
  around(manager, [&](const Pass& pass) { play_takes(manager, taker, listener, pass); });
}

EvenedOut Audition::even_out() {
  if (sides_.size() != 2) throw Error("two sides are compared; an audition of one has nothing to even out");
  std::vector<AuditionTake> takes;
  render({.take = [&](const AuditionTake& take) { takes.push_back(take); }});
  EvenedOut evened{mean_loudness(takes, sides_[0].label), mean_loudness(takes, sides_[1].label)};
  if (evened.first == silence || evened.second == silence) return evened;
  const double difference = evened.first.value - evened.second.value;
  evened.first_was_louder = difference > 0;
  evened.down = {std::min(std::abs(difference), most_down.value)};
  sides_[evened.first_was_louder ? 0 : 1].trim = Decibels{-evened.down.value};
  return evened;
}

TakesInCommon in_common(std::span<const AuditionTake> takes) {
  TakesInCommon common;
  std::set<std::string> since;
  Frames began;
  for (const auto& take : takes) {
    if (take.clip.empty()) continue;
    if (take.loudness != silence) {
      const bool first = common.loudest == silence;
      common.quietest = first ? take.loudness : std::min(common.quietest, take.loudness);
      common.loudest = std::max(common.loudest, take.loudness);
    }
    ++common.clips[take.clip];
    if (since.contains(take.clip)) since.clear();
    if (since.empty()) began = take.starts;
    since.insert(take.clip);
    if (since.size() <= common.starts_without_repetition) continue;
    common.starts_without_repetition = since.size();
    common.time_without_repetition = seconds(take.starts - began, Audition::rate);
  }
  return common;
}

}  // namespace tidewater
