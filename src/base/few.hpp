#pragma once
#include <algorithm>
#include <cstddef>
#include <new>
#include <span>
#include <type_traits>
#include <utility>

namespace tidewater {

/// A list of at most `most` items in place. Only items that are in it cost anything; there must be room for each that is added.
template <class T, std::size_t most>
class Few {
 public:
  static constexpr std::size_t capacity = most;
  static_assert(std::is_trivially_destructible_v<T> && std::is_trivially_copyable_v<T>);

  Few() = default;
  Few(const Few&) = delete;
  Few& operator=(const Few&) = delete;

  template <class... Arguments>
  T& emplace_back(Arguments&&... arguments) {
    return *::new (place(count_++)) T{std::forward<Arguments>(arguments)...};
  }
  void clear() { count_ = 0; }
  void resize_down(std::size_t count) { count_ = count; }
  template <class Is>
  void erase_if(Is is) {
    std::size_t kept = 0;
    for (std::size_t at = 0; at < count_; ++at) {
      if (is((*this)[at])) continue;
      if (kept != at) (*this)[kept] = (*this)[at];
      ++kept;
    }
    count_ = kept;
  }
  /// One comparison for each of the few items: less than the standard's own, which is made for many.
  template <class Is>
  bool any(Is is) const {
    for (const T& item : *this)
      if (is(item)) return true;
    return false;
  }

  std::size_t size() const { return count_; }
  bool empty() const { return count_ == 0; }
  bool full() const { return count_ == most; }
  T* begin() { return std::launder(static_cast<T*>(place(0))); }
  T* end() { return begin() + count_; }
  const T* begin() const { return const_cast<Few*>(this)->begin(); }
  const T* end() const { return begin() + count_; }
  T& front() { return *begin(); }
  T& operator[](std::size_t at) { return begin()[at]; }
  operator std::span<T>() { return {begin(), count_}; }
  operator std::span<const T>() const { return {begin(), count_}; }

 private:
  void* place(std::size_t at) { return bytes_ + at * sizeof(T); }

  alignas(T) std::byte bytes_[most * sizeof(T)];
  std::size_t count_ = 0;
};

}  // namespace tidewater
