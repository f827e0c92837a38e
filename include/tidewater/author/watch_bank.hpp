#pragma once
/// For developer builds: a bank that is packed again is heard in the running game, without loading anything by hand.
///
///     BankWatch harbour(manager, "banks/harbour.tidebank");
///     while (playing) {
///       if (const auto said = harbour.look()) log(*said);   // "banks/harbour.tidebank: reloaded"
///       manager.update(elapsed);
///     }

#include <memory>
#include <optional>
#include <string>

#include "tidewater/export.hpp"
#include "tidewater/manager.hpp"

namespace TIDEWATER_API tidewater {

/// Loads a bank file, and every new version of it, in the background. A file that is broken is told, and the version before it stays.
/// It must not be used after its manager is gone. Thread: one at a time.
class BankWatch {
 public:
  /// Throws Error where the bank cannot be opened or loaded: the first is waited for.
  BankWatch(SoundManager& manager, std::string path, Preload preload = Preload::by_book);
  ~BankWatch();
  BankWatch(const BankWatch&) = delete;
  BankWatch& operator=(const BankWatch&) = delete;

  /// Looks at the file, four times a second at most, so that it may be called every frame. What there is to tell of it: that a new version
  /// is loaded, or why not; nothing in between.
  std::optional<std::string> look();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace tidewater
