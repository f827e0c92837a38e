#include "base/text_file.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "base/fail.hpp"

namespace tidewater {
namespace {

struct Beginning {
  std::string_view bytes, what;
};
/// The first bytes of files that people pass by mistake where a text is expected.
constexpr std::array<Beginning, 9> beginnings = {
    Beginning{"TIDEBANK", "a bank"}, {"RIFF", "a WAV file"},   {"RF64", "a WAV file"},  {"fLaC", "a FLAC file"},  {"OggS", "an Ogg file"},
    {"ID3", "an MP3 file"},          {"FORM", "an AIFF file"}, {"MThd", "a MIDI file"}, {"\x89PNG", "a picture"},
};

}  // namespace

std::string why_no_text(const std::string& path, std::string_view wanted) {
  std::error_code error;
  const auto status = std::filesystem::status(path, error);
  if (!std::filesystem::exists(status)) return "there is no such file";
  if (std::filesystem::is_directory(status)) return fmt::format("is a folder, not {}", wanted);
  if (!std::filesystem::is_regular_file(status)) return fmt::format("is a device or a pipe, not {}", wanted);
  std::ifstream in(path, std::ios::binary);
  std::array<char, 4096> first{};
  in.read(first.data(), static_cast<std::streamsize>(first.size()));
  const std::string_view bytes(first.data(), static_cast<std::size_t>(in.gcount()));
  if (bytes.empty() && in.bad()) return "cannot be read; may you read it?";
  if (!in.eof() && !in) return "cannot be read; may you read it?";
  for (const Beginning& its : beginnings)
    if (bytes.substr(0, its.bytes.size()) == its.bytes) return fmt::format("is {}, not {}", its.what, wanted);
  if (bytes.find('\0') != std::string_view::npos) return fmt::format("is no text, and so not {}", wanted);
  return {};
}

std::string read_text_file(const std::string& path, std::string_view wanted, std::size_t most) {
  Read<std::string> its = read_text(path, wanted, most);
  if (!its.value) fail(its.problem);
  return std::move(*its.value);
}

Read<std::string> read_text(const std::string& path, std::string_view wanted, std::size_t most) {
  const auto problem = [&](const std::string& why) { return Read<std::string>{std::nullopt, fmt::format("{}: {}", path, why)}; };
  if (const std::string why = why_no_text(path, wanted); !why.empty()) return problem(why);
  std::error_code error;
  if (const auto size = std::filesystem::file_size(path, error); !error && size > most)
    return problem(fmt::format("is larger than {} MiB", most >> 20U));
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  if (in.bad() || !in.is_open()) return problem("cannot be read; may you read it?");
  return {std::move(text).str(), {}};
}

}  // namespace tidewater
