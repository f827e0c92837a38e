#pragma once
#include <cstddef>

namespace tidewater {

/// Begins to load memory into the cache that is read soon. Where several such reads wait for one another, each costs as much as a hundred
/// instructions.
inline void fetch(const void* what, std::size_t bytes) {
  constexpr std::size_t line = 64;
  for (std::size_t at = 0; at < bytes; at += line) __builtin_prefetch(static_cast<const char*>(what) + at);
}
template <class T>
void fetch(const T& what) {
  fetch(&what, sizeof(T));
}

}  // namespace tidewater
