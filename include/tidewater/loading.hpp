#pragma once
/// Loading and unloading banks: what is read when, and how a load in the background goes on.

#include <array>
#include <memory>
#include <string>
#include <string_view>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

struct BackgroundLoad;

/// Which clips of a bank are in memory when it is loaded. The others are read when they are first needed, or on `prefetch`.
enum class Preload {
  all,
  by_book,  ///< those of sounds whose book does not say `preload = false`
  none,
};
inline constexpr std::array<std::string_view, 3> preload_words = {"all", "by-book", "none"};

/// Chooses how the playbacks of an unloaded bank end.
enum class WhatPlays {
  fades,     ///< they fade out over 5 ms
  finishes,  ///< they play to their end; loops take their own fade-out; those that sleep or wait end at once
};
inline constexpr std::array<std::string_view, 2> what_plays_words = {"fades", "finishes"};

/// A bank that is loaded in the background. Small, copyable; it may outlive its manager. Thread: any.
class BankLoading {
 public:
  /// A handle of nothing: it is done, without a problem.
  BankLoading() = default;
  /// How much of what is to be in memory has been read, from 0 to 1.
  double progress() const;
  /// True when the bank's events can be raised, or the load has failed.
  bool done() const;
  /// Why the bank could not be loaded. Empty before the load is done, and if it succeeded.
  std::string problem() const;

 private:
  friend struct BackgroundLoad;
  struct State;
  explicit BankLoading(std::shared_ptr<State> state) : state_(std::move(state)) {}

  std::shared_ptr<State> state_;
};

/// A load in the background that has ended.
struct LoadedBank {
  std::string bank;
  std::string problem;  ///< empty if it succeeded
};

}  // namespace tidewater
