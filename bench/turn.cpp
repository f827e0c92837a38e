#include "turn.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include "tidewater/author/compile.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/author/turn.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::bench {
namespace {

constexpr int turn_sounds = 2000, turns = 400, text_runs = 9;

std::string book_of_loops() {
  std::string text = "[book]\nname = \"loops\"\n";
  for (int sound = 0; sound < turn_sounds; ++sound)
    text += fmt::format(
        "\n[sounds.loop-{0}]  # one of many\nsketch = {{ like = \"hum\" }}\nloop = true\ngain = \"-30 dB .. -20 dB\"\npan = \"40 % left .. "
        "40 % "
        "right\"\n[events.loop-{0}]\nstart = \"loop-{0}\"\n",
        sound);
  return text;
}

double turn_milliseconds(std::chrono::steady_clock::time_point began) {
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - began).count();
}

template <class Work>
double least_of(int runs, Work work) {
  double least = 1e9;
  for (int run = 0; run < runs; ++run) {
    const auto began = std::chrono::steady_clock::now();
    work();
    least = std::min(least, turn_milliseconds(began));
  }
  return least;
}

double at_share(std::vector<double>& times, double share) {
  std::sort(times.begin(), times.end());
  return times[static_cast<std::size_t>(share * static_cast<double>(times.size() - 1))];
}

}  // namespace

void print_turn_table() {
  const auto folder = std::filesystem::temp_directory_path() / "tidewater-turn";
  std::filesystem::create_directories(folder);
  const std::string text = book_of_loops(), path = (folder / "book.toml").string();
  std::ofstream(path) << text;
  const Bank bank = compile_book(path);
  Book book = parse_book(text, path).book;
  const double parse = least_of(text_runs, [&] { parse_book(text, path); });
  const double edit = least_of(text_runs, [&] { set_value(text, {"sounds", "loop-7", "gain"}, "\"-9 dB\""); });

  SoundManager manager({.voices = 64, .offline = true});
  manager.load(bank);
  for (int i = 0; i < 32; ++i) manager.raise("loop-7");
  std::vector<float> block(512);
  std::vector<double> made, asked;
  std::size_t frames_to_hear = 0;
  const auto sound = std::find_if(book.sounds.begin(), book.sounds.end(), [](const BookSound& its) { return its.name == "loop-7"; });
  for (int turn = 0; turn < turns; ++turn) {
    manager.render(block);
    if (turn % 4 == 0) manager.update({});
    sound->gain.high = {-20 + 10.0 * (turn % 2)};
    const auto began = std::chrono::steady_clock::now();
    const Read<std::string> design = turned_design(bank, book, "loop-7");
    made.push_back(turn_milliseconds(began));
    if (!design.value) throw Error(design.problem);
    const auto asks = std::chrono::steady_clock::now();
    if (manager.turn("loops", "loop-7", *design.value) != Outcome::done) throw Error("a turn was refused");
    asked.push_back(turn_milliseconds(asks));
  }
  // How long it takes until a sample is another: two managers, one of them turned.
  SoundManager turned({.offline = true}), plain({.offline = true});
  std::vector<float> one(2048), other(2048);
  for (SoundManager* its : {&turned, &plain}) its->load(bank), its->raise("loop-7");
  turned.render(one), plain.render(other);
  sound->gain = {{-60}, {-60}};
  turned.turn("loops", "loop-7", *turned_design(bank, book, "loop-7").value);
  turned.render(one), plain.render(other);
  while (frames_to_hear < one.size() / 2 && one[2 * frames_to_hear] == other[2 * frames_to_hear]) ++frames_to_hear;
  std::filesystem::remove_all(folder);

  fmt::print("Turning, in a book of {} sounds, {} playbacks of the turned one:\n\n", turn_sounds, 32);
  fmt::print("| what | yardstick | ours |\n| --- | ---: | ---: |\n");
  fmt::print("| one value of the text is changed and proved; yardstick: the text is read as a book | {:.1f} ms | {:.1f} ms |\n", parse,
             edit);
  fmt::print("| a sound's design is made of the read book, half and at 95 % | | {:.3f} and {:.3f} ms |\n", at_share(made, 0.5),
             at_share(made, 0.95));
  fmt::print("| it is turned, half and at 95 % | | {:.3f} and {:.3f} ms |\n", at_share(asked, 0.5), at_share(asked, 0.95));
  fmt::print("| from the turn to the first sample that is another, the limiter's delay included | | {} frames |\n", frames_to_hear);
}

}  // namespace tidewater::bench
