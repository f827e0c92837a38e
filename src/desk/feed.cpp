#include "desk/feed.hpp"

#include <thread>
#include <utility>

namespace tidewater::desk {

void Feed::add(std::string line) {
  if (!watched()) return;
  const std::lock_guard lock(mutex_);
  bytes_ += line.size();
  lines_.push_back(std::move(line));
  for (; bytes_ > most_bytes; ++first_) {
    bytes_ -= lines_.front().size();
    lines_.pop_front();
  }
  wake_.notify_all();
}

Feed::Reader::Reader(Feed& feed) : feed_(feed) {
  const std::lock_guard lock(feed_.mutex_);
  if (feed_.readers_++ == 0) {
    feed_.first_ += feed_.lines_.size();
    feed_.lines_.clear();
    feed_.bytes_ = 0;
  }
  from_ = feed_.first_ + feed_.lines_.size();
}

Feed::Reader::~Reader() { --feed_.readers_; }

std::string Feed::Reader::next() {
  std::this_thread::sleep_for(portion);
  std::unique_lock lock(feed_.mutex_);
  const auto end = [&] { return feed_.first_ + feed_.lines_.size(); };
  feed_.wake_.wait_for(lock, std::chrono::seconds(2), [&] { return from_ < end() || feed_.closed_; });
  std::string event;
  if (from_ < feed_.first_) {
    event = "event: missed\ndata: " + std::to_string(feed_.first_ - from_) + "\n\n";
    from_ = feed_.first_;
  }
  if (from_ == end()) return event + ": nothing new\n\n";
  event += "data: [";
  for (bool comma = false; from_ < end(); ++from_, comma = true) {
    if (comma) event += ',';
    event += feed_.lines_[from_ - feed_.first_];
  }
  return event + "]\n\n";
}

void Feed::close() {
  const std::lock_guard lock(mutex_);
  closed_ = true;
  wake_.notify_all();
}

}  // namespace tidewater::desk
