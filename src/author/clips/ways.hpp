#pragma once
#include <string>

#include "media/decode.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// How a bank keeps the clips of a sound.
struct ClipWays {
  BookWays::Samples samples = BookWays::Samples::exact;
  bool mono = false;
  Seconds stream_from{30};
  BookWays::Codec codec = BookWays::Codec::as_it_is;
  double quality = 0.5;
};

/// As the nearest of its groups says, or else the target, where there is one.
ClipWays ways_for(const Book& book, const BookTarget* target, const BookSound& sound);
/// All of it, as a text that differs where they differ.
std::string to_text(const ClipWays& ways);

/// Null for an empty name. Throws Error where the book has no such target.
const BookTarget* target_called(const Book& book, const std::string& name);

/// The clip that says the same in another language: of the book's, its file. The book's own where there is none yet, or it is not speech.
std::string clip_in(const Book& book, const std::string& clip, const std::string& language);
/// Of a file that speaks another language: the clip of the book's own that says the same. Empty where it is none.
std::string said_first_as(const Book& book, const std::string& file);
/// Whether it is speech.
bool is_spoken(const Book& book, const std::string& clip);

/// One channel of the same power. Louder than full scale where both channels were alike.
Audio to_mono(const Audio& audio);
/// Brings samples to 16 bits with triangular dither. Full scale becomes 32,767. Samples beyond full scale, as a fold to mono may give,
/// stay as they are. Silence stays silent.
Audio to_sixteen_bits(Audio audio);

}  // namespace tidewater
