#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <functional>
#include <set>
#include <thread>

#include "commands.hpp"
#include "rendering.hpp"
#include "take_table.hpp"
#include "tidewater/author/advice.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::tool {
namespace {

namespace fs = std::filesystem;

constexpr Hertz rate{48000};
constexpr Seconds longest_take{8};  // a loop is cut off here, so that the next take can be heard
constexpr std::int64_t block = 480;
constexpr Decibels most_trim{24};

volatile std::sig_atomic_t interrupted = 0;

/// A sound or an event of a book, ready to be heard. Two sides are compared.
struct Side {
  std::string label;  ///< "", or "A" and "B"
  std::string name;
  std::string event;
  Book book;
  Decibels trim{};
};

/// Only what the audition needs, so that it starts at once, and one event that does it.
Side side_of(const AuditionCall& call, const Book& whole, const std::string& name, const std::string& label) {
  Side side{label, name, "audition" + label, whole};
  Book& book = side.book;
  // One after the other nothing crowds; where takes come at a rhythm, what is too soon is to be seen.
  if (call.every == Seconds{})
    for (auto& sound : book.sounds) sound.spacing = {};
  book.name += label;
  const auto event = std::find_if(whole.events.begin(), whole.events.end(), [&](const BookEvent& e) { return e.name == name; });
  const auto sound = std::find_if(whole.sounds.begin(), whole.sounds.end(), [&](const BookSound& s) { return s.name == name; });
  if (event != whole.events.end()) {
    book.events = {{side.event, event->responses, event->place}};
  } else if (sound != whole.sounds.end()) {
    book.events = {{side.event, {{BookResponse::Kind::start, name, {}, {}, sound->place}}, sound->place}};
  } else {
    std::string all;
    for (const auto& known : whole.sounds) all += (all.empty() ? "" : ", ") + known.name;
    throw Error(fmt::format("{}: no sound or event is called '{}'; the sounds are {}", whole.file, name, all));
  }
  std::erase_if(book.sounds, [&](const BookSound& s) {
    const auto& responses = book.events.front().responses;
    return std::none_of(responses.begin(), responses.end(), [&](const BookResponse& r) { return r.sound == s.name; });
  });
  return side;
}

Book read_good_book(const std::string& path) {
  ReadBook read = read_book(path);
  std::string problems;
  for (const auto& problem : read.problems) problems += (problems.empty() ? "" : "\n") + to_text(problem);
  if (!problems.empty()) throw Error(problems);
  return std::move(read.book);
}

std::vector<Side> sides_of(const AuditionCall& call) {
  const Book book = read_good_book(call.book);
  if (call.compare.empty()) return {side_of(call, book, call.name, "")};
  const bool other_book = fs::path(call.compare).extension() == ".toml";
  return {side_of(call, book, call.name, "A"),
          other_book ? side_of(call, read_good_book(call.compare), call.name, "B") : side_of(call, book, call.compare, "B")};
}

/// Raises the sides' events in turn, again and again; `pass` lets time go by.
void play_takes(const AuditionCall& call, const std::vector<Side>& sides, SoundManager& manager, TakeTable& table,
                const std::function<void(std::int64_t)>& pass) {
  std::vector<Trait> traits;
  for (const auto& [name, value] : call.traits) traits.push_back({Name(name), Name(value)});
  const auto sounding = [&] { return manager.stats().playing + manager.stats().fading > 0; };
  const std::int64_t every = frames(call.every, rate).value;
  const std::int64_t longest = frames(longest_take, rate).value;
  for (int take = 0; take < call.times && interrupted == 0; ++take)
    for (const Side& side : sides) {
      if (interrupted != 0) break;
      const std::int64_t began = manager.clock().value;
      manager.set_gain("master", side.trim, Seconds{});
      table.begin(side.label);
      manager.raise(Name(side.event), std::span<const Trait>(traits));
      const auto lasts = [&] {
        const std::int64_t played = manager.clock().value - began;
        return every > 0 ? played < every : played < longest && (sounding() || played == 0);
      };
      while (lasts() && interrupted == 0) pass(every > 0 ? std::min(block, every - (manager.clock().value - began)) : block);
      if (every == 0) {
        manager.stop_all(Seconds{0.3});
        while (sounding() && interrupted == 0) pass(block);
      }
      table.end();
    }
  if (interrupted != 0) manager.stop_all(Seconds{0.05});
  const std::int64_t last = manager.clock().value + longest;
  while (sounding() && manager.clock().value < last) pass(block);
  manager.stop_all(Seconds{0.3});
  while (sounding()) pass(block);
}

/// Renders all takes on this thread.
void render_takes(const AuditionCall& call, const std::vector<Side>& sides, const std::vector<Bank>& banks, TakeTable& table,
                  Rendering* rendering) {
  SoundManager manager({.rate = rate,
                        .seed = call.seed,
                        .journal =
                            [&, sink = rendering == nullptr ? JournalSink() : rendering->sink()](const JournalEntry& entry) {
                              table.take(entry);
                              if (sink) sink(entry);
                            },
                        .offline = true});
  for (const auto& bank : banks) manager.load(bank);
  std::vector<float> samples;
  play_takes(call, sides, manager, table, [&](std::int64_t count) {
    manager.update({});
    samples.resize(static_cast<std::size_t>(count) * 2);
    manager.render(samples);
    manager.update({});
    table.take(samples);
    if (rendering != nullptr) rendering->take(samples);
  });
}

void play_live(const AuditionCall& call, const std::vector<Side>& sides, const std::vector<Bank>& banks, TakeTable& table) {
  SoundManager manager({.rate = rate, .seed = call.seed, .journal = [&](const JournalEntry& entry) { table.take(entry); }});
  for (const auto& bank : banks) manager.load(bank);
  const Device device(manager);
  fmt::print("playing on {}; Ctrl-C stops\n", device.description());
  play_takes(call, sides, manager, table, [&](std::int64_t) {
    manager.update(Seconds{0.01});
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  });
}

/// Makes the second side as loud as the first, by what a quiet rendering of both says.
void even_out(const AuditionCall& call, std::vector<Side>& sides, const std::vector<Bank>& banks) {
  TakeTable table(rate, true, false);
  render_takes(call, sides, banks, table, nullptr);
  const Decibels first = table.loudness("A");
  const Decibels second = table.loudness("B");
  if (first == silence || second == silence) return;
  const double trim = std::clamp(first.value - second.value, -most_trim.value, most_trim.value);
  // The louder comes down: nothing is pushed into the limiter.
  sides[trim < 0 ? 1 : 0].trim = {-std::abs(trim)};
  fmt::print("A is {} at {:.1f} LUFS, B is {} at {:.1f} LUFS; {} is turned down by {:.1f} dB\n", sides[0].name, first.value,
             sides[1].book.file == sides[0].book.file ? sides[1].name : sides[1].book.file, second.value, trim < 0 ? "B" : "A",
             std::abs(trim));
}

void audition_once(const AuditionCall& call, std::vector<Side> sides) {
  std::vector<Bank> banks;
  for (const Side& side : sides) banks.push_back(compile(side.book, {rate}));
  if (sides.size() > 1) even_out(call, sides, banks);
  Rendering rendering({call.output, {}, {}}, rate);
  TakeTable table(rate, !call.device, true);
  std::set<std::string> placeholders;
  for (const Side& side : sides) placeholders.merge(placeholders_of(side.book));
  table.mark_placeholders(std::move(placeholders));
  if (call.device)
    play_live(call, sides, banks, table);
  else
    render_takes(call, sides, banks, table, &rendering);
  fmt::print("\n");
  if (!call.device) fmt::print("{}", rendering.report().text());
  table.print_summary();
  rendering.finish({});
  if (!call.picture.empty() && !call.device) {
    Rendering::make_folder_of(call.picture);
    draw_takes(table.takes(), rate, call.picture, fmt::format("takes of {}", call.name));
    fmt::print("  picture    {}\n", call.picture);
  }
  if (!call.device && call.output.empty()) fmt::print("  next       hear it with --device, or keep it with --output FILE\n");
}

/// The latest change of the books and of the clips that are heard.
fs::file_time_type last_change(const std::vector<Side>& sides) {
  fs::file_time_type latest = fs::file_time_type::min();
  std::error_code ignored;
  const auto look = [&](const fs::path& path) {
    if (const auto time = fs::last_write_time(path, ignored); !ignored) latest = std::max(latest, time);
  };
  for (const Side& side : sides) {
    look(side.book.file);
    for (const auto& sound : side.book.sounds)
      sound.each_clip([&](const BookLayer&, const BookClip& clip) { look(fs::path(side.book.clips_folder) / clip.path); });
  }
  return latest;
}

}  // namespace

int audition(const AuditionCall& call) {
  std::signal(SIGINT, [](int) { interrupted = 1; });
  std::vector<Side> sides = sides_of(call);
  audition_once(call, sides);
  if (!call.watch) return fine;
  auto heard = last_change(sides);
  fmt::print("watching {} and its clips; save one to hear it again, Ctrl-C ends\n", call.book);
  std::fflush(stdout);
  while (interrupted == 0) {
    std::this_thread::sleep_for(std::chrono::milliseconds(150));
    const auto now = last_change(sides);
    if (now == heard) continue;
    std::this_thread::sleep_for(std::chrono::milliseconds(50));  // until it is written
    heard = last_change(sides);
    try {
      sides = sides_of(call);
      audition_once(call, sides);
    } catch (const Error& error) {
      fmt::print(stderr, "{}\n", error.what());
    }
    std::fflush(stdout);
  }
  return fine;
}

}  // namespace tidewater::tool
