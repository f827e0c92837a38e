#pragma once
/// A small HTTP server for one page and its requests. It refuses everything that does not come from that page.
///
/// The checks, and what each is against:
/// - a token of 128 bits, which the page's address carries in its fragment and the page sends as a header: other programs and users;
/// - the Host header must name this machine: a foreign name that was made to lead here (DNS rebinding);
/// - Origin and Sec-Fetch-Site must be the page's own: pages of other sites in the same browser;
/// - bodies have a length, of 64 KiB at most; headers and paths have bounds, too: floods.

#include <atomic>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "desk/feed.hpp"

namespace tidewater::desk {

struct Answer {
  int status = 200;
  std::string body;
  std::string type = "application/json";
};
/// `{"problem": ...}` with status 422: the request was understood and cannot be carried out.
Answer problem(std::string_view why);

struct Asked {
  std::string body;
  /// A parameter of the address, decoded; empty if it is missing.
  std::function<std::string(const char* name)> parameter;
};
using Handler = std::function<Answer(const Asked&)>;

struct HttpOptions {
  std::string listen = "127.0.0.1";
  int port = 0;       ///< 0 for any that is free
  std::string token;  ///< empty: drawn anew
};

class Http {
 public:
  /// Throws Error if the port is taken, or the address is none of this machine.
  explicit Http(const HttpOptions& options);
  ~Http();
  Http(const Http&) = delete;
  Http& operator=(const Http&) = delete;

  // Before `start`. Handlers are called on the server's threads, several at once. What they throw becomes a problem.

  void get(const std::string& path, Handler handler);
  void post(const std::string& path, Handler handler);
  /// The page, which the server does not copy. It can be read without the token, since it says nothing of the book. The first
  /// Content-Security-Policy in the text, with the hashes of its script and style, is sent as a header, too.
  void page(std::string_view html);
  /// Streams the feed to at most three pages. `watched(true)` is called before the first begins to look on, `watched(false)` after the last
  /// has left.
  void feed(const std::string& path, Feed& feed, std::function<void(bool)> watched);

  void start();
  /// "http://127.0.0.1:41877/#3f0c...": the fragment is never sent, so it is in no log.
  std::string address() const;
  int port() const;
  const std::string& token() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater::desk
