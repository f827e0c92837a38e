#pragma once
/// The thread that reads: clips that play from disk, ahead of their voices, and clips that somebody waits for.

#include <condition_variable>
#include <mutex>
#include <thread>

#include "bank/clip_queue.hpp"
#include "bank/streamer.hpp"

namespace tidewater {

class Reader {
 public:
  Reader() = default;
  ~Reader() { stop(); }
  Reader(const Reader&) = delete;
  Reader& operator=(const Reader&) = delete;

  Streamer streams;
  ClipQueue clips;

  /// From here on a thread reads.
  void run_on_its_own();
  /// There is something new to be read. Thread: any; it waits for nothing.
  void wake();
  /// Reads a little of what is needed, on the calling thread; false where nothing is. Where no other thread reads.
  bool read_some();
  /// Nothing is read any more.
  void stop();

 private:
  void work();

  std::mutex mutex_;
  std::condition_variable news_;
  bool anything_new_ = false, done_ = false;
  std::thread thread_;
};

}  // namespace tidewater
