#pragma once
/// The player's settings in a JSON file. Library Tidewater::settings; nothing here throws.
///
///     { "tidewater-settings": 1, "groups": { "music": { "level": 0.5, "on": true } } }
///
/// Thread: any.

#include <string>

#include "tidewater/export.hpp"
#include "tidewater/settings.hpp"

namespace TIDEWATER_API tidewater {

struct SettingsRead {
  Settings settings;
  /// What is wrong in the file, with its place and what was done, or an empty text. A file that is not there is no problem.
  std::string problem;
};

/// Reads a file of at most 1 MiB. A damaged file gives full levels; a single bad value gives that group's default.
SettingsRead read_settings(const std::string& path);

/// Writes the file whole or not at all, with its folder. A damaged file that is there is kept beside it, as `path` + ".damaged".
/// Returns why it was not written, or an empty text.
std::string write_settings(const Settings& settings, const std::string& path);

}  // namespace tidewater
