#include "banks.hpp"

#include <filesystem>

#include "tidewater/open_bank.hpp"

namespace harbour {

using namespace tidewater;

Banks::Banks(SoundManager& manager, std::string folder, std::string language)
    : manager_(manager), folder_(std::move(folder)), language_(std::move(language)) {
  manager_.load(open("quay"));
}

void Banks::advance(double now) {
  const auto reaches = [&](double time) { return before_ < time && time <= now; };
  if (reaches(0.5)) manager_.load(open("music"));  // it streams: nothing to wait for
  if (reaches(12)) manager_.load_in_background(open("weather"));
  // The last of the rain is still heard, and so is the music; their memory comes back when they have ended.
  if (reaches(42)) manager_.unload("weather", WhatPlays::finishes);
  if (reaches(55)) manager_.unload("music", WhatPlays::finishes);
  before_ = now;
}

/// A bank with speech is a file for each language.
Bank Banks::open(const std::string& name) const {
  const std::string spoken = folder_ + "/" + name + "." + language_ + ".tidebank";
  return open_bank(std::filesystem::exists(spoken) ? spoken : folder_ + "/" + name + ".tidebank");
}

}  // namespace harbour
