#include "bank/reader.hpp"

#include <utility>

namespace tidewater {
namespace {

/// How often the thread looks whether the voices have moved on: the rings hold a hundred times as much.
constexpr std::chrono::milliseconds between_looks{6};

}  // namespace

void Reader::run_on_its_own() {
  const std::lock_guard lock(mutex_);
  if (!thread_.joinable()) thread_ = std::thread([this] { work(); });
}

void Reader::wake() {
  {
    const std::lock_guard lock(mutex_);
    anything_new_ = true;
  }
  news_.notify_one();
}

void Reader::add(std::unique_ptr<ReaderTask> task) {
  {
    const std::lock_guard lock(mutex_);
    tasks_.push_back(std::move(task));
  }
  wake();
}

/// A piece of a stream, a clip and a step in turn: none keeps the others waiting for long.
bool Reader::read_some() {
  const bool streamed = streams.read_some();
  const bool read = clips.read_one();
  return step_of_task() || read || streamed;
}

bool Reader::step_of_task() {
  std::unique_lock lock(mutex_);
  if (tasks_.empty()) return false;
  ReaderTask& task = *tasks_.front();
  lock.unlock();
  const bool goes_on = task.step();
  lock.lock();
  if (goes_on) return true;
  const auto done = std::move(tasks_.front());
  tasks_.pop_front();
  lock.unlock();
  return true;
}

bool Reader::read_for(std::chrono::nanoseconds budget) {
  const std::unique_lock one_at_a_time(reading_, std::try_to_lock);
  if (!one_at_a_time) return false;
  const auto until = std::chrono::steady_clock::now() + budget;
  bool more = read_some();
  while (more && std::chrono::steady_clock::now() < until) more = read_some();
  return more;
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
  const std::lock_guard one_at_a_time(reading_);
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
