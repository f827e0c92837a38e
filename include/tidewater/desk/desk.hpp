#pragma once
/// The desk: a page in the browser on which a book and a running game are seen, heard and turned.
///
///     SoundManager manager;
///     manager.load(compile_book("book.toml"));
///     Desk desk(manager, {.book = "book.toml"});
///     std::cout << desk.address() << '\n';         // open it in a browser on the same machine
///
/// For developer builds: link Tidewater::desk, and leave it out of what ships. docs/desk.md has the page and its requests.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/manager.hpp"

namespace TIDEWATER_API tidewater {

struct DeskOptions {
  std::string book;                  ///< the book of the loaded banks; the only file that the desk writes
  std::string game = "the game";     ///< what the page calls it
  std::string listen = "127.0.0.1";  ///< the address to listen on. With any other, others can read what is sent: there is no encryption
  int port = 0;                      ///< 0 for any that is free
  std::string token = {};            ///< what the address carries; empty: 128 random bits
  std::optional<int> osc =
      {};  ///< UDP port for control surfaces, 0 for any that is free; none: there are none. docs/osc.md has the addresses
  std::vector<std::string> osc_from = {};  ///< other machines whose OSC messages are taken, as numeric addresses
  bool alone = false;                      ///< there is no game: the page offers takes, and a point to walk around the listener
};

/// Serves the page on its own threads. While no page is open, the desk only looks at the book's file and the folder of clips, twice a
/// second. Destroy the desk before its manager, and never inside a journal's sink.
class Desk {
 public:
  /// Throws Error if the book cannot be read, or the desk cannot listen there.
  Desk(SoundManager& manager, const DeskOptions& options);
  ~Desk();
  Desk(const Desk&) = delete;
  Desk& operator=(const Desk&) = delete;

  /// The page's address with the token: "http://127.0.0.1:41877/#3f0c...". Whoever has it may turn the book. Thread: any.
  std::string address() const;
  /// The UDP port for control surfaces; 0 if there are none. Thread: any.
  int osc_port() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater
