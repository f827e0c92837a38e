#pragma once
/// Names of events, sounds and groups, hashed so that looking one up costs no text comparison.
///
///     manager.raise("ferry.docked"_name);   // hashed while compiling
///     manager.raise(text_from_a_script);    // hashed at the call
///
/// A name keeps no copy of its text: the text must live until the call that takes the name returns.

#include <cstdint>
#include <string>
#include <string_view>

namespace tidewater {

/// FNV-1a, 64 bits (G. Fowler, L. C. Noll, K.-P. Vo; the constants are theirs).
constexpr std::uint64_t hash_name(std::string_view text) {
  std::uint64_t hash = 0xcbf29ce484222325U;
  for (const char c : text) hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001b3U;
  return hash;
}

class Name {
 public:
  constexpr Name(const char* text) : Name(std::string_view(text)) {}              // NOLINT: plain text is a name
  constexpr Name(std::string_view text) : text_(text), hash_(hash_name(text)) {}  // NOLINT
  Name(const std::string& text) : Name(std::string_view(text)) {}                 // NOLINT

  /// Of a text whose hash is known.
  constexpr Name(std::string_view text, std::uint64_t hash) : text_(text), hash_(hash) {}

  constexpr std::string_view text() const { return text_; }
  constexpr std::uint64_t hash() const { return hash_; }

 private:
  std::string_view text_;
  std::uint64_t hash_;
};

inline namespace literals {
consteval Name operator""_name(const char* text, std::size_t length) { return Name(std::string_view(text, length)); }
}  // namespace literals

}  // namespace tidewater
