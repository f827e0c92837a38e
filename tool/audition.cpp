#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <functional>
#include <memory>
#include <span>
#include <thread>

#include "commands.hpp"
#include "gauge_option.hpp"
#include "good_book.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "take_table.hpp"
#include "tidewater/author/audition.hpp"
#include "tidewater/author/rehearsal.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"
#include "tidewater/picture/takes.hpp"
#include "watching.hpp"

namespace tidewater::tool {
namespace {

namespace fs = std::filesystem;

std::vector<AuditionSide> sides_of(const AuditionCall& call) {
  const Book book = read_good_book(call.book);
  if (call.compare.empty()) return {audition_side(book, call.name)};
  const bool other_book = fs::path(call.compare).extension() == ".toml";
  return {audition_side(book, call.name, "A"),
          other_book ? audition_side(read_good_book(call.compare), call.name, "B") : audition_side(book, call.compare, "B")};
}

void even_out(Audition& audition) {
  const EvenedOut evened = audition.even_out();
  if (evened.first == silence || evened.second == silence) return;
  const auto& sides = audition.sides();
  say("A is {} at {:.1f} LUFS, B is {} at {:.1f} LUFS; {} is turned down by {:.1f} dB\n", sides[0].name, evened.first.value,
      sides[1].book.file == sides[0].book.file ? sides[1].name : sides[1].book.file, evened.second.value,
      evened.first_was_louder ? "A" : "B", evened.down.value);
}

void play_live(const Audition& audition, const AuditionListener& listener) {
  audition.play(listener, [](SoundManager& manager, const auto& takes) {
    const std::unique_ptr<Device> open = [&] {
      try {
        return std::make_unique<Device>(manager);
      } catch (const Error& error) {
        throw Error(fmt::format("{} To write what is heard to a file, give --output FILE", error.what()));
      }
    }();
    const Device& device = *open;
    say("playing on {}; Ctrl-C stops\n", device.description());
    takes([&](std::int64_t) {
      manager.update(Seconds{0.01});
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    });
  });
}

void draw(const AuditionCall& call, const std::vector<AuditionTake>& takes) {
  Rendering::make_folder_of(call.picture);
  std::vector<HeardTake> heard;
  for (const auto& take : takes)
    heard.push_back(
        {fmt::format("{}{} {}{}", take.number, take.side.empty() ? "" : " " + take.side, take.clip, more_clips_of(take)), take.samples});
  const std::size_t drawn = draw_takes(heard, Audition::rate, call.picture, fmt::format("takes of {}", call.name));
  say("  picture    {}{}\n", call.picture, drawn < heard.size() ? fmt::format(" (the first {} of {} takes)", drawn, heard.size()) : "");
}

/// Renders all takes for the table, the report and what is to be kept.
void render(const AuditionCall& call, const Audition& audition, const std::function<void(const AuditionTake&)>& tell) {
  Rendering rendering({call.output, {}, {}}, Audition::rate);
  std::vector<AuditionTake> takes;
  AuditionListener listener;
  listener.go_on = [] { return interrupted == 0; };
  listener.take = [&](const AuditionTake& take) {
    tell(take);
    takes.push_back(take);
    if (call.picture.empty()) takes.back().samples = {};
  };
  listener.journal = rendering.sink();
  listener.sound = [&](std::span<const float> samples) { rendering.take(samples); };
  audition.render(listener);
  say("\n{}", rendering.report().text());
  print_in_common(takes);
  rendering.finish({});
  if (!call.picture.empty()) draw(call, takes);
}

/// Plays all takes. Returns those that were begun.
std::vector<AuditionTake> play(const Audition& audition, TakeTable& table) {
  std::vector<AuditionTake> takes;
  AuditionListener listener;
  listener.go_on = [] { return interrupted == 0; };
  listener.take = [&](const AuditionTake& take) {
    table.print(take);
    takes.push_back(take);
  };
  listener.journal = [](const JournalEntry& entry) {
    if (const auto* notice = entry.as<noted::Notice>()) say("  notice     {}\n", notice->why);
  };
  play_live(audition, listener);
  return takes;
}

void audition_once(const AuditionCall& call, const std::vector<AuditionSide>& sides) {
  AuditionOptions options{.times = call.times, .every = call.every, .seed = call.seed, .traits = call.traits};
  for (const std::string& gauge : call.gauges) options.gauges.push_back(gauge_in(gauge));
  options.language = call.language;
  Audition audition(sides, options);
  if (sides.size() > 1) even_out(audition);
  TakeTable table(!call.device, sides);
  if (!call.device) {
    render(call, audition, [&](const AuditionTake& take) { table.print(take); });
    if (call.output.empty()) say("  next       hear it with --device, or keep it with --output FILE\n");
    return;
  }
  const bool kept = !call.output.empty() || !call.picture.empty();
  std::vector<AuditionTake> played;
  try {
    played = play(audition, table);
  } catch (const Error& error) {
    if (!kept) throw;
    complain("{}\n", error.what());
  }
  // What was heard is the same again when it is rendered, by its seed.
  if (interrupted == 0 && kept) {
    render(call, audition, [](const AuditionTake&) {});
  } else {
    say("\n");
    print_in_common(played);
  }
}

/// "storm@3" asks for the track in bar 3 of the one that plays.
RehearsedChange change_in(const std::string& text) {
  const std::size_t at = text.rfind('@');
  std::int64_t bar = 0;
  if (at != std::string::npos) {
    const char* const end = text.data() + text.size();
    const auto [last, error] = std::from_chars(text.data() + at + 1, end, bar);
    if (error != std::errc() || last != end) bar = 0;
  }
  if (bar < 1) throw Error(fmt::format("--then {}: write the track and the bar in which it is asked for, such as storm@3", text));
  return {text.substr(0, at), bar};
}

/// A track, and the changes from it to others.
void rehearse_once(const AuditionCall& call, const Book& book) {
  std::vector<RehearsedChange> changes;
  for (const std::string& its : call.then) changes.push_back(change_in(its));
  Rendering rendering({call.output, {}, call.picture}, Audition::rate);
  const JournalSink sink = rendering.sink();
  RehearsalOptions options{.seed = call.seed};
  for (const std::string& gauge : call.gauges) {
    const WalkGauge its = gauge_in(gauge);
    options.gauges.emplace_back(its.gauge, its.from);
  }
  RehearsalListener listener;
  listener.go_on = [] { return interrupted == 0; };
  listener.sound = [&](std::span<const float> samples) { rendering.take(samples); };
  const auto at = [](Frames frames) { return seconds(frames, Audition::rate).value; };
  listener.journal = [&](const JournalEntry& entry) {
    sink(entry);
    if (const auto* asked = entry.as<noted::Asked>()) {
      if (const auto* play = std::get_if<asked::Play>(&asked->request)) say("{:>8.2f} s  asked for {}\n", at(entry.at), play->track.text());
      if (std::holds_alternative<asked::Leave>(asked->request)) say("{:>8.2f} s  asked for silence\n", at(entry.at));
    }
    if (const auto* decision = entry.as<noted::Decision>()) {
      if (decision->outcome == Outcome::planned) say("{:>8.2f} s    planned  {}\n", at(entry.at), decision->why);
      if (decision->start) say("{:>8.2f} s    begins   {}\n", at(decision->start->starts), decision->sound);
    }
    if (const auto* fading = entry.as<noted::Fading>())
      say("{:>8.2f} s    leaves   {}{}, over {:.3g} s\n", at(std::max(entry.at, fading->from)), fading->sound,
          fading->layer.empty() ? "" : ": " + fading->layer, fading->fade.value);
  };
  rehearse(book, call.name, changes, listener, options);
  say("\n{}", rendering.report().text());
  rendering.finish(fmt::format("{}, and changes from it", call.name));
  if (call.output.empty()) say("  next       hear it: --output FILE; try a change: --then TRACK@BAR\n");
}

/// The latest change of the books and of the clips that are heard.
fs::file_time_type last_change(const std::vector<AuditionSide>& sides) {
  fs::file_time_type latest = fs::file_time_type::min();
  std::error_code ignored;
  const auto look = [&](const fs::path& path) {
    if (const auto time = fs::last_write_time(path, ignored); !ignored) latest = std::max(latest, time);
  };
  for (const AuditionSide& side : sides) {
    look(side.book.file);
    for (const auto& sound : side.book.sounds)
      sound.each_clip([&](const BookLayer&, const BookClip& clip) { look(fs::path(side.book.clips_folder) / clip.path); });
  }
  return latest;
}

}  // namespace

int audition(const AuditionCall& call) {
  heed_interrupts();
  const Book book = read_good_book(call.book);
  const auto is_track = [&](const BookSound& its) { return its.track && its.name == call.name; };
  if (std::any_of(book.sounds.begin(), book.sounds.end(), is_track)) {
    if (call.device) throw Error("a track is heard from a file: give --output FILE in place of --device");
    rehearse_once(call, book);
    return fine;
  }
  if (!call.then.empty()) throw Error(fmt::format("--then goes with a track, and '{}' is none", call.name));
  std::vector<AuditionSide> sides = sides_of(call);
  audition_once(call, sides);
  if (!call.watch) return fine;
  say("watching {} and its clips; save one to hear it again, Ctrl-C ends\n", call.book);
  watch([&] { return last_change(sides); },
        [&] {
          sides = sides_of(call);
          audition_once(call, sides);
        });
  return fine;
}

}  // namespace tidewater::tool
