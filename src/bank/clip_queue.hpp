#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <mutex>
#include <string>
#include <utility>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/bank_samples.hpp"
#include "base/hold_up.hpp"

namespace tidewater {

/// A clip that was read, or could not be.
struct ReadClip {
  std::uint64_t bank = 0;  ///< as whoever wanted it called its bank
  std::uint32_t number = 0;
  ClipData data;        ///< none where it could not be read
  std::string problem;  ///< then it says why
};

/// Clips that somebody waits for, read one after the other.
///
/// Threads: `want` and `take` belong to whoever holds the control side, and allocate nothing; `read_one` to the thread that reads. Neither
/// waits while a file is read.
class ClipQueue {
 public:
  /// Room for so many more that are wanted at once.
  void prepare(std::size_t more) {
    const std::lock_guard lock(mutex_);
    room_ += more;
    wanted_.reserve(room_);
    read_.reserve(room_);
  }
  /// So many fewer: of a bank that is gone.
  void release(std::size_t less) {
    const std::lock_guard lock(mutex_);
    room_ -= std::min(room_, less);
  }
  void want(const std::shared_ptr<const BankData>& data, std::uint64_t bank, std::uint32_t number) {
    const std::lock_guard lock(mutex_);
    if (wanted_.size() == wanted_.capacity() && at_ > 0) {  // those that were read make room
      wanted_.erase(wanted_.begin(), wanted_.begin() + static_cast<std::ptrdiff_t>(at_));
      at_ = 0;
    }
    wanted_.push_back({data, bank, number});
  }
  /// What was read since, in the order in which it was wanted; `read` gets room for the next.
  void take(std::vector<ReadClip>& read) {
    read.clear();
    const std::lock_guard lock(mutex_);
    if (read_.empty()) return;
    std::swap(read, read_);
    read_.reserve(room_);
  }
  /// False where nobody wants anything.
  bool read_one() {
    Wanted next;
    {
      const std::lock_guard lock(mutex_);
      if (at_ == wanted_.size()) {
        at_ = 0;
        wanted_.clear();
      } else {
        next = std::move(wanted_[at_++]);
      }
    }
    if (next.data == nullptr) {
      reader_.reset();  // it keeps a file open
      data_.reset();
      return false;
    }
    if (data_ != next.data) {
      reader_ = std::make_unique<SampleReader>(*next.data);
      data_ = std::move(next.data);
    }
    Read<ClipData> got = reader_->read(data_->clips[next.number]);
    hold_up(HoldUp::reader_has_read);
    const std::lock_guard lock(mutex_);
    read_.push_back({next.bank, next.number, got.value ? *std::move(got.value) : ClipData(), std::move(got.problem)});
    return true;
  }

 private:
  struct Wanted {
    std::shared_ptr<const BankData> data;
    std::uint64_t bank = 0;
    std::uint32_t number = 0;
  };

  std::mutex mutex_;
  std::size_t room_ = 0;
  std::vector<Wanted> wanted_;
  std::size_t at_ = 0;  ///< the next of them
  std::vector<ReadClip> read_;
  // Of the thread that reads.
  std::shared_ptr<const BankData> data_;
  std::unique_ptr<SampleReader> reader_;
};

}  // namespace tidewater
