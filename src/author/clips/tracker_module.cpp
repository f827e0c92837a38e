#include <fmt/format.h>

#include <fstream>
#include <libopenmpt/libopenmpt.hpp>
#include <sstream>

#include "author/clips/music_formats.hpp"
#include "tidewater/error.hpp"

namespace tidewater {

std::string openmpt_version() { return fmt::format("libopenmpt {}", openmpt::string::get("library_version")); }

Audio render_module(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  if (!in) throw Error("there is no such file, or it cannot be read");
  constexpr std::int32_t rate = 48000;
  Audio audio{.channels = 2, .rate = Hertz{rate}, .samples = {}, .rendered = true};
  const auto most = static_cast<std::size_t>(frames(longest_clip, audio.rate).value) * 2;
  try {
    std::ostringstream log;  // what the library finds odd is not worth a line on the terminal
    openmpt::module module(in, log);
    std::vector<float> piece(4096 * 2);
    while (const std::size_t got = module.read_interleaved_stereo(rate, piece.size() / 2, piece.data())) {
      audio.samples.insert(audio.samples.end(), piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(got * 2));
      if (audio.samples.size() > most)
        throw Error(fmt::format("it plays longer than {} minutes; does it jump back for ever?", longest_clip.value / 60));
    }
  } catch (const openmpt::exception& error) {
    throw Error(fmt::format("it cannot be read as a tracker module ({})", error.what()));
  }
  if (audio.samples.empty()) throw Error("it plays nothing; export it again");
  return audio;
}

}  // namespace tidewater
