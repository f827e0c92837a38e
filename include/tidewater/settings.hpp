#pragma once
/// The player's settings: for each group that the book offers (`player = true`), a share of its loudness and a switch.
///
///     Settings settings = read_settings(path).settings;  // tidewater/settings_file.hpp
///     settings.apply(manager);                           // before or after banks are loaded
///     settings.set_level("music", 0.5);                  // half as loud
///     settings.apply(manager);
///
/// A small value: the game keeps and copies it. Thread: one at a time.

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

class SoundManager;

class Settings {
 public:
  struct Group {
    std::string name;
    Share level;     ///< from 0, silence, to 1, full level
    bool on = true;  ///< off is silence; the level is kept
    friend bool operator==(const Group&, const Group&) = default;
  };

  /// Clamps the level to 0 .. 1. Returns false, and changes nothing, if it is not a number.
  bool set_level(std::string_view group, Share level);
  void set_on(std::string_view group, bool on);
  /// Return full level and on for a group that was never set.
  Share level(std::string_view group) const;
  bool on(std::string_view group) const;
  /// All groups that were set or read, also those that no bank has.
  std::span<const Group> groups() const { return groups_; }

  /// Sets all of it in a manager. A group that no bank has yet takes its setting when it comes. Asks only for what the manager does not
  /// have already. Thread: any.
  void apply(SoundManager& manager) const;

  friend bool operator==(const Settings&, const Settings&) = default;

 private:
  Group& group(std::string_view name);
  const Group* find(std::string_view name) const;

  std::vector<Group> groups_;
};

}  // namespace tidewater
