#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <map>
#include <thread>

#include "commands.hpp"
#include "rendering.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::tool {
namespace {

constexpr Hertz rate{48000};
constexpr Seconds longest_take{8};  // a loop is cut off here, so that the next take can be heard
constexpr std::int64_t block = 480;
constexpr const char* audition_event = "audition";

volatile std::sig_atomic_t interrupted = 0;

/// The book with one more event, which starts the sound or does what the event of that name does.
std::string event_for(Book& book, const std::string& name) {
  for (const auto& event : book.events)
    if (event.name == name) return name;
  for (const auto& sound : book.sounds) {
    if (sound.name != name) continue;
    book.events.push_back({audition_event, {{BookResponse::Kind::start, name, {}, {}, sound.place}}, sound.place});
    return audition_event;
  }
  std::string all;
  for (const auto& sound : book.sounds) all += (all.empty() ? "" : ", ") + sound.name;
  throw Error(fmt::format("{}: no sound or event is called '{}'; the sounds are {}", book.file, name, all));
}

/// Only what the audition needs is decoded, so that it starts at once.
Book only(const Book& book, const std::string& event) {
  Book small = book;
  std::erase_if(small.events, [&](const BookEvent& e) { return e.name != event; });
  std::erase_if(small.sounds, [&](const BookSound& s) {
    const auto& responses = small.events.front().responses;
    return std::none_of(responses.begin(), responses.end(), [&](const BookResponse& r) { return r.sound == s.name; });
  });
  return small;
}

/// A row a start, as it happens.
class Table {
 public:
  void take(const JournalEntry& e) {
    if (e.kind == JournalEntry::Kind::raise) ++takes_;
    if (e.kind != JournalEntry::Kind::decision) return;
    if (plays(e.outcome)) {
      if (!headed_) fmt::print("{:>4}  {:>9}  {:<16}  {:<28}  {:>9}  {:>9}\n", "take", "at", "sound", "clip", "pitch", "gain");
      headed_ = true;
      fmt::print("{:>4}  {:>7.2f} s  {:<16}  {:<28}  {:>+6.2f} st  {:>6.1f} dB{}\n", takes_, seconds(e.starts, rate).value, e.sound, e.clip,
                 e.pitch.value, e.gain.value, e.why.empty() ? "" : "  unheard: " + e.why);
      ++clips_[e.clip];
    } else if (refused(e.outcome)) {
      fmt::print("{:>4}  {:>7.2f} s  {}: {}\n", takes_, seconds(e.at, rate).value, to_text(e.outcome), e.why);
    }
    std::fflush(stdout);
  }

  void print_counts() const {
    if (clips_.size() < 2) return;
    fmt::print("  clips      ");
    std::size_t n = 0;
    for (const auto& [clip, count] : clips_) fmt::print("{}{} x {}", n++ == 0 ? "" : ", ", count, clip);
    fmt::print("\n");
  }

 private:
  int takes_ = 0;
  bool headed_ = false;
  std::map<std::string, int> clips_;
};

/// Raises the event again and again; `pass` lets one block of time go by.
template <class Pass>
void play_takes(const AuditionCall& call, SoundManager& manager, const std::string& event, Pass pass) {
  const auto sounding = [&] { return manager.stats().playing + manager.stats().fading > 0; };
  const std::int64_t every = frames(call.every, rate).value;
  const std::int64_t longest = frames(longest_take, rate).value;
  for (int take = 0; take < call.times && interrupted == 0; ++take) {
    const std::int64_t began = manager.clock().value;
    manager.raise(Name(event));
    const auto lasts = [&] {
      const std::int64_t played = manager.clock().value - began;
      return every > 0 ? played < every : played < longest && (sounding() || played == 0);
    };
    while (lasts() && interrupted == 0) pass(every > 0 ? std::min(block, every - (manager.clock().value - began)) : block);
    if (every == 0) {
      manager.stop_all(Seconds{0.3});
      while (sounding() && interrupted == 0) pass(block);
    }
  }
  if (interrupted != 0) manager.stop_all(Seconds{0.05});
  const std::int64_t last = manager.clock().value + longest;
  while (sounding() && manager.clock().value < last) pass(block);
  manager.stop_all(Seconds{0.3});
  while (sounding()) pass(block);
}

}  // namespace

int audition(const AuditionCall& call) {
  ReadBook read = read_book(call.book);
  if (!read.problems.empty()) {
    for (const auto& problem : read.problems) fmt::print(stderr, "{}\n", to_text(problem));
    return bad_input;
  }
  const std::string event = event_for(read.book, call.name);
  const Bank bank = compile(only(read.book, event), {rate});

  Rendering rendering({call.output, {}, call.picture}, rate);
  Table table;
  {
    SoundManager manager({.rate = rate,
                          .seed = call.seed,
                          .journal =
                              [&, sink = rendering.sink()](const JournalEntry& entry) {
                                table.take(entry);
                                sink(entry);
                              },
                          .offline = !call.device});
    std::signal(SIGINT, [](int) { interrupted = 1; });
    manager.load(bank);
    if (call.device) {
      const Device device(manager);
      fmt::print("playing on {}; Ctrl-C stops\n", device.description());
      play_takes(call, manager, event, [&](std::int64_t) {
        manager.update(Seconds{0.01});
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
      });
    } else {
      std::vector<float> samples;
      play_takes(call, manager, event, [&](std::int64_t count) {
        manager.update({});
        samples.resize(static_cast<std::size_t>(count) * 2);
        manager.render(samples);
        manager.update({});
        rendering.take(samples);
      });
    }
  }
  fmt::print("\n");
  if (!call.device) fmt::print("{}", rendering.report().text());
  table.print_counts();
  rendering.finish(fmt::format("audition of {}", call.name));
  if (!call.device && call.output.empty()) fmt::print("  next       hear it with --device, or keep it with --output FILE\n");
  return fine;
}

}  // namespace tidewater::tool
