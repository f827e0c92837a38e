#pragma once
#include <string>
#include <string_view>
#include <utility>

namespace tidewater {

/// A message that repeats what somebody wrote, without the middle of what is too long to be read: its beginning says what
/// it is about, its end what to do. Cut between letters of UTF-8.
inline std::string shortened(std::string_view message, std::size_t most = 600) {
  if (message.size() <= most) return std::string(message);
  const auto whole_letter = [&](std::size_t at) {
    while (at < message.size() && (static_cast<unsigned char>(message[at]) & 0xC0U) == 0x80U) ++at;
    return at;
  };
  const std::size_t head = whole_letter(most * 2 / 3);
  const std::size_t tail = whole_letter(message.size() - most / 3);
  return std::string(message.substr(0, head)) + " ... " + std::string(message.substr(tail));
}

inline std::string shortened(std::string&& message) {
  constexpr std::size_t most = 600;
  return message.size() <= most ? std::move(message) : shortened(std::string_view(message), most);
}

}  // namespace tidewater
