#include "tidewater/desk/desk.hpp"

#include <fmt/format.h>

#include <chrono>
#include <thread>

#include "commands.hpp"
#include "good_book.hpp"
#include "print.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/device/device.hpp"
#include "tidewater/error.hpp"
#include "watching.hpp"

namespace tidewater::tool {

int desk(const DeskCall& call) {
  constexpr std::chrono::milliseconds frame{16};
  const Book book = read_good_book(call.book);
  SoundManager manager;
  for (const Bank& bank : compile_banks(book)) manager.load(bank);
  manager.set_listener(0, {});
  const Device device(manager, {.name = {}, .required = false});
  const Desk desk(manager, {.book = call.book,
                            .game = "no game",
                            .listen = call.listen,
                            .port = call.port,
                            .osc = call.osc,
                            .osc_from = call.osc_from,
                            .alone = true});
  heed_interrupts();
  say("{}: {} sounds, {} events; heard on {}\n", call.book, book.sounds.size(), book.events.size(), device.description());
  say("  open       {}\n", desk.address());
  if (desk.osc_port() != 0)
    say("  OSC        UDP port {}: try oscsend localhost {} /tidewater/event/{}\n", desk.osc_port(), desk.osc_port(),
        book.events.empty() ? "NAME" : book.events.front().name);
  say("  the address carries the key: whoever has it may turn the book. Ctrl-C ends the desk; the book changes only when you keep\n");
  if (call.listen != "127.0.0.1")
    complain("the desk listens on {}, not only for this machine, and nothing is encrypted: others on the network can read the key\n",
             call.listen);
  std::fflush(stdout);
  for (auto next = std::chrono::steady_clock::now(); interrupted == 0; std::this_thread::sleep_until(next += frame))
    manager.update(Seconds{std::chrono::duration<double>(frame).count()});
  say("\nthe desk is closed\n");
  return fine;
}

}  // namespace tidewater::tool
