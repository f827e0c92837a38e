#pragma once
#include <string>
#include <vector>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// Something that a build can have or lack.
struct Component {
  std::string what;     ///< "audio files", "tracker modules", "MIDI"
  std::string library;  ///< name and version; empty where this build lacks it
  std::string remedy;   ///< how to get it, where it is lacking
};

/// Which kinds of files this build can make clips from.
std::vector<Component> components();

}  // namespace tidewater
