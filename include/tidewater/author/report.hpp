#pragma once
#include <memory>
#include <span>
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/journal.hpp"

namespace TIDEWATER_API tidewater {

/// How loud a piece of interleaved stereo is, in LUFS: of three seconds and more gated (EBU R128), of less the loudest
/// 400 ms (ITU-R BS.1770), or `silence`.
Decibels loudness_of(std::span<const float> stereo, Hertz rate);

/// Watches a rendering and says in a few lines what was asked, what was heard, what was not and why, and how loud it was.
/// Thread: one at a time.
class Report {
 public:
  explicit Report(Hertz rate);
  ~Report();
  Report(const Report&) = delete;
  Report& operator=(const Report&) = delete;

  void take(const JournalEntry& entry);
  /// Interleaved stereo, in order.
  void take(std::span<const float> samples);

  Seconds length() const;
  /// True peak in dBTP and gated loudness in LUFS of all that was taken (ITU-R BS.1770-4, EBU R128), or silence.
  Decibels true_peak() const;
  Decibels loudness() const;

  /// Several lines, each with its end.
  std::string text() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater
