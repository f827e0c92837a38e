#pragma once
#include <cstddef>
#include <cstdint>
#include <utility>

#include "bank/bank_samples.hpp"
#include "tidewater/loading.hpp"
#include "voices/live_clips.hpp"

namespace tidewater {

/// Reads the clips of a bank that is being loaded, as far as they are to be in memory.
class ClipsOnTheirWay {
 public:
  /// `preload` says which clips are read now. Decisions count the clips of `decided` as being in memory from the start.
  ClipsOnTheirWay(const BankData& data, Preload preload, Preload decided);

  /// Reads one more clip. Returns false if all have been read, or if one cannot be read; then `problem` says why.
  bool read_one();
  const std::string& problem() const { return problem_; }
  std::size_t bytes() const { return bytes_; }  ///< of all that will be read
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
