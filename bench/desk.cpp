#include "desk.hpp"

#include <fmt/format.h>
#include <httplib.h>
#include <time.h>
#include <zlib.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <memory>
#include <string>
#include <thread>
#include <vector>

#include "desk/page.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/desk/desk.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

using DeskClock = std::chrono::steady_clock;

double cpu_seconds(clockid_t which) {
  timespec now{};
  clock_gettime(which, &now);
  return static_cast<double>(now.tv_sec) + static_cast<double>(now.tv_nsec) / 1e9;
}
double desk_milliseconds(DeskClock::time_point began) {
  return std::chrono::duration<double, std::milli>(DeskClock::now() - began).count();
}
double of_sorted(std::vector<double>& times, double share) {
  std::sort(times.begin(), times.end());
  return times[static_cast<std::size_t>(share * static_cast<double>(times.size() - 1))];
}

/// A game in real time: blocks of 256 frames on one thread, 60 updates a second on another.
class LiveGame {
 public:
  LiveGame(const std::string& book, double raises) : manager({.voices = 64}) {
    manager.load(compile_book(book));
    manager.set_listener(0, {});
    audio_ = std::thread([this] {
      constexpr std::size_t frames = 256;
      std::vector<float> block(2 * frames);
      for (auto next = DeskClock::now(); !ends_; std::this_thread::sleep_until(next += std::chrono::nanoseconds(5333333))) {
        manager.render(block);
        float peak = 0;
        for (const float sample : block) peak = std::max(peak, std::fabs(sample));
        quiet = peak < 1e-5F;
      }
    });
    game_ = std::thread([this, raises] {
      const std::string events[] = {"gulls.cried", "menu.moved", "ticket.punched", "passengers.talked"};
      double due = 0;
      std::size_t which = 0;
      for (auto next = DeskClock::now(); !ends_; std::this_thread::sleep_until(next += std::chrono::nanoseconds(16666667))) {
        for (due += raises / 60; due >= 1; --due) manager.raise(events[which++ % 4]);
        manager.update(Seconds{1 / 60.0});
      }
    });
  }
  ~LiveGame() {
    ends_ = true;
    audio_.join();
    game_.join();
  }
  LiveGame(const LiveGame&) = delete;
  LiveGame& operator=(const LiveGame&) = delete;

  SoundManager manager;
  std::atomic<bool> quiet{true};

 private:
  std::atomic<bool> ends_{false};
  std::thread audio_, game_;
};

/// The page's side of the talk.
struct Visitor {
  explicit Visitor(const Desk& desk)
      : address(desk.address()),
        client("127.0.0.1", std::stoi(address.substr(address.rfind(':') + 1))),
        key{{"Authorization", "Bearer " + address.substr(address.find('#') + 1)}} {
    client.set_keep_alive(true);
    client.set_tcp_nodelay(true);
  }
  void post(const char* path, const std::string& body) {
    const auto answer = client.Post(path, key, body, "application/json");
    if (!answer || answer->status != 200) throw Error(fmt::format("{} was refused: {}", path, answer ? answer->body : "no answer"));
  }
  std::string address;
  httplib::Client client;
  httplib::Headers key;
};

std::string level_of(const char* section, const std::string& name, double level) {
  return fmt::format(R"({{"path":["{0}","{1}","gain"],"low":{2:.1f},"high":{2:.1f},"unit":"dB","drag":9}})", section, name, level);
}

/// Share of a core that the process takes in so many seconds, without what a page's own thread takes.
double share_of_core(double seconds, const std::function<double()>& page_took) {
  const double process = cpu_seconds(CLOCK_PROCESS_CPUTIME_ID), page = page_took();
  const auto began = DeskClock::now();
  std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
  return 100 * (cpu_seconds(CLOCK_PROCESS_CPUTIME_ID) - process - (page_took() - page)) / (desk_milliseconds(began) / 1000);
}

/// A page that looks on, and what its thread takes.
class Onlooker {
 public:
  explicit Onlooker(const Desk& desk) : visitor_(desk) {
    thread_ = std::thread([this] {
      visitor_.client.Get("/feed", visitor_.key, [this](const char* data, std::size_t size) {
        const std::string_view text(data, size);
        for (std::size_t at = 0; (at = text.find("\"request\":\"raise\"", at)) != std::string_view::npos; ++at) ++raises;
        if (text.find("event: missed") != std::string_view::npos) ++missed;
        took = cpu_seconds(CLOCK_THREAD_CPUTIME_ID);
        return !ends_;
      });
    });
  }
  ~Onlooker() {
    ends_ = true;
    thread_.join();
  }
  Onlooker(const Onlooker&) = delete;
  Onlooker& operator=(const Onlooker&) = delete;
  std::atomic<double> took{0};
  std::atomic<std::uint64_t> raises{0}, missed{0};

 private:
  Visitor visitor_;
  std::atomic<bool> ends_{false};
  std::thread thread_;
};

void print_soon(const std::string& book) {
  LiveGame game(book, 0);
  const Desk desk(game.manager, {.book = book});
  Visitor page(desk);
  game.manager.raise("quay.entered");
  std::vector<double> answered, heard;
  constexpr int turns = 60;
  for (int i = 0; i < turns; ++i) {
    page.post("/turn", level_of("groups", "master", 0));
    while (game.quiet) std::this_thread::sleep_for(std::chrono::microseconds(200));
    std::this_thread::sleep_for(std::chrono::milliseconds(60));
    const auto began = DeskClock::now();
    page.post("/turn", level_of("groups", "master", -120));
    answered.push_back(desk_milliseconds(began));
    while (!game.quiet && desk_milliseconds(began) < 2000) std::this_thread::sleep_for(std::chrono::microseconds(200));
    heard.push_back(desk_milliseconds(began));
  }
  fmt::print("| a turn is answered, half and at 95 % | {:.2f} and {:.2f} ms | |\n", of_sorted(answered, 0.5), of_sorted(answered, 0.95));
  fmt::print("| a turn to the first block that is silent, its ramp of 20 ms included, half and at 95 % | {:.1f} and {:.1f} ms | 50 ms |\n",
             of_sorted(heard, 0.5), of_sorted(heard, 0.95));
}

void print_costs(const std::string& book) {
  constexpr double seconds = 6;
  constexpr int rounds = 3;
  constexpr double raises = 330;
  std::vector<double> without, idle, watched;
  std::uint64_t heard = 0, missed = 0;
  for (int round = 0; round < rounds; ++round) {
    LiveGame game(book, raises);
    game.manager.raise("quay.entered");
    without.push_back(share_of_core(seconds, [] { return 0.0; }));
    const Desk desk(game.manager, {.book = book});
    idle.push_back(share_of_core(seconds, [] { return 0.0; }));
    const Onlooker page(desk);
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    const std::uint64_t before = page.raises;
    watched.push_back(share_of_core(seconds, [&] { return page.took.load(); }));
    heard += page.raises - before;
    missed += page.missed;
  }
  const double base = of_sorted(without, 0.5);
  fmt::print("| a game with {:.0f} raises a second, without a desk, of a core | {:.2f} % | |\n", raises, base);
  fmt::print("| more with a desk that nobody looks at | {:+.2f} % | 0.2 % |\n", of_sorted(idle, 0.5) - base);
  fmt::print("| more with a page that looks on | {:+.2f} % | 1 % |\n", of_sorted(watched, 0.5) - base);
  fmt::print("| raises that the page heard of, of those made; times that it missed lines | {:.1f} %; {} | all; 0 |\n",
             100 * static_cast<double>(heard) / (rounds * seconds * raises), missed);
}

/// Reads, compiles and reloads a book again after one value has changed; the least of several runs, beside a compile from nothing.
void print_again(const char* what, const std::string& book, const char* to_reach) {
  Compiler compiler;
  SoundManager manager;
  for (const Bank& bank : compiler.compile_banks(read_book(book).book)) manager.load(bank);
  double from_nothing = 1e9, again = 1e9;
  for (int run = 0; run < 5; ++run) {
    double before = cpu_seconds(CLOCK_PROCESS_CPUTIME_ID);
    compile_banks(read_book(book).book);
    from_nothing = std::min(from_nothing, cpu_seconds(CLOCK_PROCESS_CPUTIME_ID) - before);
    before = cpu_seconds(CLOCK_PROCESS_CPUTIME_ID);
    ReadBook read = read_book(book);
    read.book.sounds.front().gain = {{-9.0 - run}, {-9.0 - run}};
    for (const Bank& bank : compiler.compile_banks(read.book)) manager.reload(bank);
    again = std::min(again, cpu_seconds(CLOCK_PROCESS_CPUTIME_ID) - before);
    manager.update({});
  }
  fmt::print("| {}, one value changed: read, compiled and reloaded; from nothing {:.0f} ms | {:.1f} ms | {} |\n", what, 1000 * from_nothing,
             1000 * again, to_reach);
}

void print_drag() {
  const auto folder = std::filesystem::temp_directory_path() / "tidewater-desk";
  std::filesystem::create_directories(folder);
  const std::string book = (folder / "book.toml").string();
  std::string text = "[book]\nname = \"loops\"\n";
  for (int sound = 0; sound < 2000; ++sound)
    text += fmt::format(
        "\n[sounds.loop-{0}]  # one of many\nsketch = {{ like = \"hum\" }}\nloop = true\ngain = \"-30 dB .. -20 "
        "dB\"\n[events.loop-{0}]\nstart = \"loop-{0}\"\n",
        sound);
  std::ofstream(book) << text;
  {
    LiveGame game(book, 0);
    game.manager.raise("loop-1000");
    const Desk desk(game.manager, {.book = book});
    Visitor page(desk);
    const double rest = share_of_core(2, [] { return 0.0; });
    constexpr int steps = 60;
    std::uint64_t turned = 0;
    game.manager.add_journal([&](const JournalEntry& entry) {
      if (const auto* asked = entry.as<noted::Asked>()) turned += std::holds_alternative<asked::Turn>(asked->request) ? 1 : 0;
    });
    const double process = cpu_seconds(CLOCK_PROCESS_CPUTIME_ID), own = cpu_seconds(CLOCK_THREAD_CPUTIME_ID);
    const auto began = DeskClock::now();
    for (int step = 0; step < steps; ++step) {
      page.post("/turn", level_of("sounds", "loop-1000", -20 - 0.2 * step));
      std::this_thread::sleep_until(began + std::chrono::milliseconds(1000 * (step + 1) / 30));
    }
    const double seconds = desk_milliseconds(began) / 1000;
    const double took = cpu_seconds(CLOCK_PROCESS_CPUTIME_ID) - process - (cpu_seconds(CLOCK_THREAD_CPUTIME_ID) - own);
    std::this_thread::sleep_for(std::chrono::milliseconds(100));
    fmt::print("| a drag of {:.1f} s in a book of 2,000 sounds, more of a core | {:.1f} % | 5 % |\n", seconds, 100 * took / seconds - rest);
    print_again("2,000 sketched sounds", book, "30 ms");
    fmt::print("| steps of it that were heard | {} of {} | all |\n", turned, steps);
  }
  std::filesystem::remove_all(folder);
}

}  // namespace

void print_desk_table() {
  const std::string book = HARBOUR_FOLDER "/book.toml";
  fmt::print("The desk, in real time, on a machine that has other work, too:\n\n| what | measured | to reach |\n| --- | ---: | ---: |\n");
  print_soon(book);
  print_costs(book);
  print_again("the harbour", book, "10 ms");
  print_drag();
  const std::string_view page = desk::page_html();
  uLongf size = compressBound(page.size());
  std::vector<Bytef> packed(size);
  compress(packed.data(), &size, reinterpret_cast<const Bytef*>(page.data()), page.size());
  fmt::print("| the page, compressed | {:.0f} KB of {:.0f} | 80 KB |\n", static_cast<double>(size) / 1000,
             static_cast<double>(page.size()) / 1000);
}

}  // namespace tidewater::bench
