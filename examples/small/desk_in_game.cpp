/// A running game with the desk in it: open the address that it prints, and turn what you hear.
///     desk_in_game BOOK [SECONDS]

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <iostream>
#include <thread>

#include "tidewater/author/compile.hpp"
#include "tidewater/desk/desk.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"

using namespace tidewater;

int main(int argc, char** argv) try {
  const std::string book = argc > 1 ? argv[1] : "examples/harbour/book.toml";
  const double length = argc > 2 ? std::atof(argv[2]) : 3600;
  SoundManager manager;
  manager.load(compile_book(book));
  DeviceOptions silent;
  silent.required = false;  // without a card the game goes on
  const Device device(manager, silent);
  const Desk desk(manager, {.book = book, .game = "the ferry"});
  std::cout << desk.address() << std::endl;

  manager.set_listener(0, {});
  const Emitter gull = manager.make_emitter({.place = {8, 6, -4}});
  manager.raise("quay.entered");
  manager.raise("ferry.departed", gull);
  constexpr double frame = 1 / 60.0;
  auto next = std::chrono::steady_clock::now();
  for (double time = 0; time < length; time += frame) {
    manager.place(gull, {12 * std::cos(time / 3), 6, 12 * std::sin(time / 3)});
    if (std::fmod(time, 2) < frame) manager.raise("gulls.cried", gull);
    if (std::fmod(time, 5) < frame) manager.raise("whistle.blown");  // no book has it: the desk says so
    manager.update(Seconds{frame});
    std::this_thread::sleep_until(next += std::chrono::microseconds(16667));
  }
} catch (const Error& error) {
  std::cerr << error.what() << '\n';
  return 1;
}
