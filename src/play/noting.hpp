#pragma once
#include <cstdint>
#include <string_view>

#include "notebook/notebook.hpp"
#include "play/door.hpp"
#include "play/update_log.hpp"
#include "play/watch.hpp"
#include "tidewater/manager.hpp"
#include "voices/link.hpp"

namespace tidewater {

/// How much was asked and done.
struct Totals {
  std::uint64_t raised = 0, started = 0, refused = 0;
};

/// Checks requests at the door, and notes requests, decisions and notices with the frame on which they happened.
///
/// Thread: whoever holds the control lock.
struct Noting {
  explicit Noting(const ManagerOptions& given);

  /// Whether something with so much text can be noted. A request that cannot be noted is refused and leaves no other trace, so that a
  /// replay has no need of it.
  bool admits(std::size_t text);
  /// Notes a decision and returns its outcome.
  Outcome decide(Outcome outcome, PlaybackId id, const Reason& why, Name event = {"", 0});
  void tell(const Reason& why) { notebook.add(link.now().at, NoticeNote{.why = notebook.keep(why)}); }
  /// Once, if a second was rendered without an update.
  void tell_if_not_updated();
  /// Notes an update. Returns false for a further update at the same frame, which changes nothing.
  bool begin_update();
  /// At the end of the manager: the last run of updates, and that the journal is whole.
  void finish();

  const ManagerOptions& options;
  Door door;
  Notebook notebook;
  Link link;
  UpdateLog updates;
  Totals totals;
  Watch watch;
};

}  // namespace tidewater
