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

#include "notebook/notebook.hpp"
#include "notebook/sums.hpp"
#include "play/loaded.hpp"

namespace tidewater {

struct Control;

class HandOn {
 public:
  /// Of a notebook with room for so many records, and of a manager's rate.
  HandOn(std::size_t records, Hertz rate) : notes_(records), sums_(rate) {}

  /// The sink may call the manager, also `update`, whose lines then come after. What it throws is passed on: the entry it
  /// was given counts as handed on, the others come with the next update.
  void run(Control& control, std::list<LiveBank>&& silent);
  /// Gives sums to somebody else, too, before the first `run`.
  void give_sums_to(std::function<void(const noted::Sums&)> take) { take_sums_ = std::move(take); }
  /// Whether the sink has heard anything.
  bool has_begun() {
    const std::lock_guard lock(mutex_);
    return head_told_;
  }

 private:
  void hand_on_notes(Control& control);
  std::string words_of(const Reason& why, const KnownNames& known);

  std::mutex mutex_;  ///< held meanwhile, so that lines stay in order; it guards the rest
  Notebook notes_;
  std::size_t handed_ = 0;  ///< of its notes
  bool head_told_ = false;
  RunningSums sums_;
  std::function<void(const noted::Sums&)> take_sums_;
  std::unordered_map<std::string, std::string> suggested_;  ///< names that were asked for in vain, and what to say of them
  std::shared_ptr<const Catalogue> suggested_by_;
  std::list<LiveBank> silent_banks_;  ///< to be destroyed when what was noted of them is handed on
  std::atomic<std::thread::id> by_{};
};

/// The second half of an update: what was heard counts; then others may update, and the journal goes on.
void finish_update(Control& control, Seconds elapsed, std::unique_lock<std::mutex> updating = {});

}  // namespace tidewater
