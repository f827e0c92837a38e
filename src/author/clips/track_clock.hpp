#pragma once
#include <map>
#include <string>
#include <vector>

#include "author/clips/clip_facts.hpp"
#include "author/clips/loops.hpp"
#include "bank/bank_data.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Lists the mistakes that keep a track from being compiled: stems of unlike rates or lengths, or parts beyond the end of a clip.
std::vector<Problem> wrong_in_track(const BookSound& sound, const std::map<std::string, ClipFacts>& facts);

/// The place at which the parts of a track end, in its clip.
Seconds end_of_parts(const BookSound& sound);

/// The timing of a track. `clip` is the bank's clip of the first stem, `shape` that of its file.
BankTrack bank_track(const BookSound& sound, const BankClip& clip, const ClipShape& shape, Hertz bank_rate);

}  // namespace tidewater
