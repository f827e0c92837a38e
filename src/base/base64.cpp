#include "base/base64.hpp"

#include <algorithm>
#include <cstdint>

namespace tidewater {
namespace {

constexpr std::string_view digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

}  // namespace

std::string to_base64(std::span<const std::byte> bytes) {
  std::string text;
  for (std::size_t at = 0; at < bytes.size(); at += 3) {
    const std::size_t count = std::min<std::size_t>(3, bytes.size() - at);
    std::uint32_t group = 0;
    for (std::size_t i = 0; i < 3; ++i) group = group << 8 | (i < count ? std::to_integer<std::uint32_t>(bytes[at + i]) : 0);
    for (std::size_t i = 0; i < 4; ++i) text += i <= count ? digits[group >> (18 - 6 * i) & 63] : '=';
  }
  return text;
}

std::optional<std::vector<std::byte>> from_base64(std::string_view text) {
  if (text.size() % 4 != 0) return std::nullopt;
  std::vector<std::byte> bytes;
  bytes.reserve(text.size() / 4 * 3);
  for (std::size_t at = 0; at < text.size(); at += 4) {
    const std::string_view four = text.substr(at, 4);
    const std::size_t count = at + 4 < text.size() ? 4 : std::min<std::size_t>(four.find('='), 4);
    if (count < 2 || four.substr(count).find_first_not_of('=') != std::string_view::npos) return std::nullopt;
    std::uint32_t group = 0;
    for (std::size_t i = 0; i < 4; ++i) {
      const auto digit = i < count ? digits.find(four[i]) : 0;
      if (digit == std::string_view::npos) return std::nullopt;
      group = group << 6 | static_cast<std::uint32_t>(digit);
    }
    for (std::size_t i = 0; i + 1 < count; ++i) bytes.push_back(static_cast<std::byte>(group >> (16 - 8 * i) & 255));
  }
  if (to_base64(bytes) != text) return std::nullopt;  // bits that say nothing must be zero
  return bytes;
}

}  // namespace tidewater
