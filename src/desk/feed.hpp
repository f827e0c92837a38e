#pragma once
/// The lines that all open pages receive, in portions. A slow page loses the oldest lines and is told how many. The game never waits for a
/// page.

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstddef>
#include <deque>
#include <mutex>
#include <string>

namespace tidewater::desk {

class Feed {
 public:
  static constexpr std::size_t most_bytes = 1U << 20U;
  /// A page gets one message in this time at most: one write, one wake-up and one picture for all lines in it.
  static constexpr std::chrono::milliseconds portion{16};

  /// Adds a line of JSON. Does nothing while no page looks on. Never waits for a page.
  void add(std::string line);

  /// One open page. It receives the lines that are added from now on.
  class Reader {
   public:
    explicit Reader(Feed& feed);
    ~Reader();
    Reader(const Reader&) = delete;
    Reader& operator=(const Reader&) = delete;
    /// Waits for the next portion, or for two seconds. Returns it as a server-sent event: an array of lines in JSON, with an event `missed`
    /// before it if lines were dropped; or a comment if there is nothing to tell.
    std::string next();

   private:
    Feed& feed_;
    std::size_t from_;
  };

  bool watched() const { return readers_ > 0; }
  /// Ends all waits.
  void close();
  bool closed() const { return closed_; }

 private:
  std::mutex mutex_;
  std::condition_variable wake_;
  std::deque<std::string> lines_;
  std::size_t first_ = 0, bytes_ = 0;  ///< number of the first line that is kept; bytes of all of them
  std::atomic<int> readers_{0};
  std::atomic<bool> closed_{false};
};

}  // namespace tidewater::desk
