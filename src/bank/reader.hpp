#pragma once
/// Whoever reads: clips that play from disk, ahead of their voices, clips that somebody waits for, and whole banks. A thread of its own,
/// or threads of the game.

#include <chrono>
#include <condition_variable>
#include <deque>
#include <memory>
#include <mutex>
#include <thread>

#include "bank/clip_queue.hpp"
#include "bank/streamer.hpp"

namespace tidewater {

/// Something long that is read in small steps.
class ReaderTask {
 public:
  ReaderTask() = default;
  virtual ~ReaderTask() = default;
  ReaderTask(const ReaderTask&) = delete;
  ReaderTask& operator=(const ReaderTask&) = delete;

  /// False where that was the last.
  virtual bool step() = 0;
};

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
  /// After what is there already.
  void add(std::unique_ptr<ReaderTask> task);
  /// Reads what is needed on the calling thread, for about so long: true where there is more. Others that come meanwhile go again.
  bool read_for(std::chrono::nanoseconds budget);
  /// Nothing is read any more.
  void stop();
  /// True while any item that was added is not finished.
  bool has_tasks() {
    const std::lock_guard lock(mutex_);
    return !tasks_.empty();
  }

 private:
  bool read_some();
  bool step_of_task();
  void work();

  std::mutex reading_;  ///< held by the one who reads
  std::mutex mutex_;
  std::condition_variable news_;
  bool anything_new_ = false, done_ = false;
  std::deque<std::unique_ptr<ReaderTask>> tasks_;
  std::thread thread_;
};

}  // namespace tidewater
