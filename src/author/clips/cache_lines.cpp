#include "author/clips/cache_lines.hpp"

#include <fmt/format.h>
#include <xxhash.h>

#include <filesystem>
#include <fstream>

namespace tidewater {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;

constexpr std::size_t hash_width = 16;

std::string hash_of(std::string_view text) { return fmt::format("{:016x}", XXH3_64bits(text.data(), text.size())); }

}  // namespace

std::string cache_line(const Json& json) {
  const std::string text = json.dump(-1, ' ', false, Json::error_handler_t::replace);
  return hash_of(text) + " " + text + "\n";
}

void read_cache_lines(const std::string& path, std::uintmax_t largest, const std::function<void(const Json&)>& take) {
  std::error_code error;
  if (fs::file_size(path, error) > largest && !error) fs::remove(path, error);
  std::ifstream in(path, std::ios::binary);
  for (std::string line; std::getline(in, line);) {
    if (line.size() < hash_width + 2) continue;
    const std::string_view text = std::string_view(line).substr(hash_width + 1);
    if (line.compare(0, hash_width, hash_of(text)) != 0) continue;
    try {
      take(Json::parse(text, nullptr, false));
    } catch (const Json::exception&) {
      continue;  // written by another version
    }
  }
}

void append_to_cache(const std::string& path, std::string& lines) {
  if (lines.empty()) return;
  std::error_code ignored;
  fs::create_directories(fs::path(path).parent_path(), ignored);
  std::ofstream(path, std::ios::binary | std::ios::app) << lines << std::flush;
  lines.clear();
}

}  // namespace tidewater
