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

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// What is left of a name in a bank that was packed without names: "#" and its hash in 16 hexadecimal digits, which stands for the name.
constexpr bool is_stripped(std::string_view text) {
  if (text.size() != 17 || text[0] != '#') return false;
  for (const char c : text.substr(1))
    if ((c < '0' || c > '9') && (c < 'a' || c > 'f')) return false;
  return true;
}

/// FNV-1a, 64 bits (G. Fowler, L. C. Noll, K.-P. Vo; the constants are theirs). Of what is left of a name, that name's.
constexpr std::uint64_t hash_name(std::string_view text) {
  if (is_stripped(text)) {
    std::uint64_t hash = 0;
    for (const char c : text.substr(1)) hash = hash << 4 | static_cast<std::uint64_t>(c <= '9' ? c - '0' : c - 'a' + 10);
    return hash;
  }
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

/// What is left of a name in a bank that was packed without names.
class StrippedName {
 public:
  constexpr explicit StrippedName(Name name) {
    for (int digit = 0; digit < 16; ++digit) text_[16 - digit] = "0123456789abcdef"[name.hash() >> (4 * digit) & 15];
  }
  constexpr explicit operator std::string_view() const { return {text_, sizeof text_}; }

 private:
  char text_[17] = {'#'};
};

/// Whether both are one name, of which a bank may have no more than the hash.
constexpr bool same_name(Name a, Name b) {
  return a.hash() == b.hash() && (a.text() == b.text() || is_stripped(a.text()) || is_stripped(b.text()));
}

/// The kind of thing that has a name.
enum class NameKind { event, sound, group, gauge, scope, track, stand, mood };

/// A name of one kind of thing. Text and a plain `Name` convert to it; a name of another kind does not compile. `tidewater names` writes a
/// header with the names of a book:
///
///     manager.raise(quay::event::ferry_docked);
///     manager.raise(quay::group::music);          // does not compile
template <NameKind kind>
class NameOf : public Name {
 public:
  using Name::Name;
  constexpr NameOf(Name name) : Name(name) {}  // NOLINT: a plain name may be of any kind
  /// Refuses a name of another kind.
  template <NameKind other>
  NameOf(NameOf<other>) = delete;
};
using EventName = NameOf<NameKind::event>;
using SoundName = NameOf<NameKind::sound>;
using GroupName = NameOf<NameKind::group>;
using GaugeName = NameOf<NameKind::gauge>;
using ScopeName = NameOf<NameKind::scope>;
using TrackName = NameOf<NameKind::track>;
using StandName = NameOf<NameKind::stand>;
using MoodName = NameOf<NameKind::mood>;

inline namespace literals {
consteval Name operator""_name(const char* text, std::size_t length) { return Name(std::string_view(text, length)); }
}  // namespace literals

}  // namespace tidewater
