#pragma once
#include <cstddef>
#include <cstdint>
#include <utility>

#include "bank/bank_samples.hpp"
#include "tidewater/loading.hpp"
#include "voices/live_clips.hpp"

namespace tidewater {

/// The clips of a bank that comes, of which those are read that are to be in memory.
class ClipsOnTheirWay {
 public:
  /// As far as decisions go, those are there from the beginning that `decided` says.
  ClipsOnTheirWay(const BankData& data, Preload preload, Preload decided);

  /// False where all are there, or one cannot be read: then `problem` says why.
  bool read_one();
  const std::string& problem() const { return problem_; }
  std::size_t bytes() const { return bytes_; }  ///< in the end
  std::size_t bytes_read() const { return clips_.bytes(); }
  LiveClips take() { return std::move(clips_); }

 private:
  const BankData& data_;
  Preload preload_;
  SampleReader samples_;
  LiveClips clips_;
  std::uint32_t next_ = 0;
  std::size_t bytes_ = 0;
  std::string problem_;
};

}  // namespace tidewater
