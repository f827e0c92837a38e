#include "bank/reader.hpp"

#include <chrono>

namespace tidewater {
namespace {

/// How often the thread looks whether the voices have moved on: the rings hold a hundred times as much.
constexpr std::chrono::milliseconds between_looks{6};

}  // namespace

void Reader::run_on_its_own() {
  if (!thread_.joinable()) thread_ = std::thread([this] { work(); });
}

void Reader::wake() {
  {
    const std::lock_guard lock(mutex_);
    anything_new_ = true;
  }
  news_.notify_one();
}

bool Reader::read_some() {
  // A piece of a stream and a clip in turn: neither keeps the other waiting for long.
  const bool streamed = streams.read_some();
  return clips.read_one() || streamed;
}

void Reader::stop() {
  {
    const std::lock_guard lock(mutex_);
    done_ = true;
  }
  news_.notify_one();
  if (thread_.joinable()) thread_.join();
}

void Reader::work() {
  for (std::unique_lock lock(mutex_); !done_;) {
    anything_new_ = false;
    lock.unlock();
    const bool more = read_some(), any_open = streams.any_open();
    lock.lock();
    if (more) continue;
    const auto news = [this] { return done_ || anything_new_; };
    if (any_open)
      news_.wait_for(lock, between_looks, news);
    else
      news_.wait(lock, news);
  }
}

}  // namespace tidewater
