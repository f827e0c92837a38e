#pragma once
/// Hands the notebook on to the journal's sink, in words, outside the control lock; then destroys the banks that nothing plays from
/// any more.

#include <atomic>
#include <functional>
#include <list>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <unordered_map>
#include <vector>

#include "base/ours.hpp"
#include "notebook/notebook.hpp"
#include "notebook/sums.hpp"
#include "play/loaded.hpp"
#include "tidewater/options.hpp"

namespace TIDEWATER_OURS tidewater {

struct Control;

class HandOn {
 public:
  /// `records` is the room of the notebook; `rate` the manager's.
  HandOn(std::size_t records, Hertz rate) : notes_(records), sums_(rate) {}

  /// Hands the notes on to the sink. The sink may call the manager, also `update`, whose lines then come after. If it throws, the entry
  /// that it was given counts as delivered, and the others come with the next update.
  void run(Control& control, std::list<LiveBank>&& silent);
  /// Also gives the sums of each second to `take`. Before the first `run`.
  void give_sums_to(std::function<void(const noted::Sums&)> take) { take_sums_ = std::move(take); }
  /// Adds a sink beside the options' one. Returns its number, from 1.
  std::uint64_t add(Control& control, JournalSink sink);
  /// Removes a sink. Blocks until the sink is no longer called. Never called from within a sink.
  void remove(Control& control, std::uint64_t number);
  /// Whether the sink has received anything. Takes no lock: whoever asks may hold the control lock.
  bool has_begun() const { return head_told_; }

 private:
  /// A sink that was added.
  struct Added {
    std::uint64_t number = 0;
    JournalSink sink;
    bool head_told = false;
  };

  void hand_on_notes(Control& control);
  /// Gives an entry to all sinks.
  void give(const ManagerOptions& options, const JournalEntry& entry);
  void take_retired(Control& control);
  std::string words_of(const Reason& why, const KnownNames& known);

  std::mutex mutex_;  ///< held while lines are handed on, so that they stay in order; guards the rest
  Notebook notes_;
  std::size_t handed_ = 0;  ///< how many of its notes were handed on
  std::atomic<bool> head_told_{false};
  std::vector<Added> added_;
  std::uint64_t last_added_ = 0;
  RunningSums sums_;
  std::function<void(const noted::Sums&)> take_sums_;
  std::unordered_map<std::string, std::string> suggested_;  ///< unknown names that were asked for, and the advice for each
  std::shared_ptr<const Catalogue> suggested_by_;
  std::list<LiveBank> silent_banks_;                         ///< destroyed after their notes were handed on
  std::vector<std::unique_ptr<const TurnedSound>> retired_;  ///< designs, destroyed after their notes were handed on
  std::atomic<std::thread::id> by_{};
};

/// The second half of an update: closes it, lets other threads update, and hands the journal on.
void finish_update(Control& control, Seconds elapsed, std::unique_lock<std::mutex> updating = {});

}  // namespace tidewater
