#pragma once
#include <string>
#include <vector>

#include "author/folder/clip_folder.hpp"

namespace tidewater {

/// "gull-03" and "gull_b" without what tells one take from another: "gull".
std::string without_take(const std::string& stem);

/// What fits all takes of a base, such as "gulls/cry-*.wav" of "gulls/cry": more may fit.
std::string take_pattern(const std::vector<std::string>& files, const std::string& base);

/// Files of folders side by side that are one sound, heard by what the folders say: "steps/tile/step-1.wav" and
/// "steps/wood/step-1.wav".
struct TraitSound {
  std::string path;       ///< what it is to be called: the folder above, with the files' base where there are several
  std::string pattern;    ///< "steps/{kind}/step-*.wav": fits these files and no others
  std::string otherwise;  ///< the same of the first folder
  std::vector<std::string> files, values;
};

/// Folders of one folder that all hold files of the same bases.
std::vector<TraitSound> sounds_by_trait(const std::vector<std::string>& files, const ClipFolder& folder);

}  // namespace tidewater
