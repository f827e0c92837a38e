#pragma once
/// Which of the harbour's banks are in memory when: the game knows where it is in its story, and loads before it needs.

#include <string>

#include "tidewater/manager.hpp"

namespace harbour {

class Banks {
 public:
  /// From a folder that `tidewater pack` filled; the quay is loaded at once. Throws tidewater::Error where a bank is not there.
  Banks(tidewater::SoundManager& manager, std::string folder, std::string language);

  /// Before what happens at `now`, in seconds of the game's time. Throws tidewater::Error where a bank that is due is not there.
  void advance(double now);

 private:
  tidewater::Bank open(const std::string& name) const;

  tidewater::SoundManager& manager_;
  std::string folder_, language_;
  double before_ = -1;  ///< the last call's time
};

}  // namespace harbour
