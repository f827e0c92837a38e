/// Makes the clips of the harbour: harbour_clips FOLDER
/// Short ones become FLAC, long noises and music Ogg Vorbis. The same program makes the same clips.

#include <fmt/format.h>
#include <sndfile.h>

#include <cstdio>
#include <filesystem>

#include "instruments.hpp"

namespace {

using harbour::Clip;

void bring_to_peak(Clip& clip) {
  double peak = 0;
  for (const auto& channel : clip.channels)
    for (const double x : channel) peak = std::max(peak, std::abs(x));
  for (auto& channel : clip.channels)
    for (double& x : channel) x *= clip.peak / peak;
}

bool write(const Clip& clip, const std::filesystem::path& folder) {
  const auto path = folder / (clip.name + (clip.lossy ? ".ogg" : ".flac"));
  std::filesystem::create_directories(path.parent_path());
  SF_INFO info{};
  info.samplerate = static_cast<int>(harbour::rate);
  info.channels = static_cast<int>(clip.channels.size());
  info.format = clip.lossy ? SF_FORMAT_OGG | SF_FORMAT_VORBIS : SF_FORMAT_FLAC | SF_FORMAT_PCM_16;
  SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
  if (file == nullptr) return false;
  double quality = 0.5;
  if (clip.lossy) sf_command(file, SFC_SET_VBR_ENCODING_QUALITY, &quality, sizeof quality);
  std::vector<double> interleaved;
  for (std::size_t i = 0; i < clip.channels[0].size(); ++i)
    for (const auto& channel : clip.channels) interleaved.push_back(channel[i]);
  // Vorbis takes a long stretch at once badly: its encoder works on the stack.
  bool good = true;
  for (std::size_t at = 0; at < interleaved.size() && good; at += 4096 * clip.channels.size()) {
    const auto count = static_cast<sf_count_t>(std::min(interleaved.size() - at, 4096 * clip.channels.size()));
    good = sf_write_double(file, interleaved.data() + at, count) == count;
  }
  return sf_close(file) == 0 && good;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    fmt::print(stderr, "usage: harbour_clips FOLDER\n");
    return 2;
  }
  for (auto make : {harbour::ambience, harbour::foley, harbour::people, harbour::music})
    for (Clip& clip : make()) {
      bring_to_peak(clip);
      if (!write(clip, argv[1])) {
        fmt::print(stderr, "{}/{}: cannot be written\n", argv[1], clip.name);
        return 1;
      }
    }
  return 0;
}
