#pragma once
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "base/few.hpp"
#include "drive/cadences.hpp"
#include "drive/followers.hpp"
#include "drive/gauges.hpp"
#include "play/listening.hpp"
#include "play/loaded.hpp"
#include "play/noting.hpp"
#include "voices/voices.hpp"

namespace tidewater {

/// Gauges: where they stand, and what follows them.
///
/// Thread: whoever holds the control lock, but for `read` and `louder_by_emitter`, which belong to the update that listens.
struct Driving {
  /// An emitter's values of the gauges of a raise.
  using Values = Few<GaugeValue, most_gauges>;

  Driving(std::size_t starts, Listening& listening, Voices& voices, Noting& noting);

  /// Finds which of the manager's gauges a bank's sounds follow. Outside the lock, while nobody else loads.
  void follow(LiveBank& bank) const;
  /// Finds which of the manager's gauges one design of a bank follows. Null if it follows none.
  std::unique_ptr<const Following> following_of(const BankSound& design, const BankData& bank) const;
  /// Gives a raise what its emitter says of the gauges that the event's sounds follow; `values` holds it.
  void fill_in(asked::Raise& raise, const Catalogue& catalogue, const Catalogue::Event& event, Values& values) const;
  /// Sets an emitter's own gauge, for a response.
  void set_of_emitter(Emitter emitter, std::uint32_t gauge, double value);
  /// Decisions go by these values from here on.
  void keep(const asked::Raise& raise, const Catalogue& catalogue, const Catalogue::Event& event);
  /// Returns the gauges that a new start follows, with their present values.
  Followers::Follower follower_of(const LiveSound& sound, PlaybackId id, const Happening& happening, bool in_world);
  /// Bends a start at once: one that begins to be heard, or may.
  void bend_now(LiveStart& start, const HeardFrom* from);
  Reason why_silent(const LiveLayer& layer);

  // An update: with the lock, without it, and with it again.

  void open(UpdateUnderWay& update);
  void read(UpdateUnderWay& update);
  void read_of(Followers::Follower& follower, UpdateUnderWay& update);
  /// How loud an emitter's own gauges make a start. Nothing if the emitter says nothing of them.
  std::optional<Level> louder_by_emitter(StartRef start, UpdateUnderWay& update);
  /// Moves all starts that are heard further towards the values of their gauges.
  void follow_on(const UpdateUnderWay& update);

  /// Emitters were given a gauge that no bank has: told once for each.
  void tell_of_unknown(Name gauge);

  Gauges gauges;
  Followers followers;
  Cadences cadences;
  std::vector<std::uint64_t> told;  ///< hashes of unknown gauges

 private:
  void bend(LiveStart& start, const Followers::Follower& follower, const Following::Values& values);

  Listening& listening_;
  Voices& voices_;
  Noting& noting_;
};

}  // namespace tidewater
