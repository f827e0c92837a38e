#pragma once
/// State as bytes, and back. Each part has one function that names what it consists of, and is called for both ways:
///
///     template <class State>
///     void state(State& s) { s(count_, clock_), s.list(waiting_); }
///
/// A pointer is kept as its place in the list that it points into.

#include <atomic>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <span>
#include <string>
#include <type_traits>
#include <utility>
#include <vector>

namespace tidewater {

class StateOut {
 public:
  static constexpr bool reading = false;
  static constexpr bool ok() { return true; }
  void damage() {}

  template <class... Values>
  void operator()(const Values&... values) {
    (bytes(&values, sizeof values), ...);
    static_assert((std::is_trivially_copyable_v<Values> && ...));
  }
  template <class T>
  void list(const std::vector<T>& items) {
    static_assert(std::is_trivially_copyable_v<T>);
    (*this)(items.size());
    bytes(items.data(), items.size() * sizeof(T));
  }
  void text(const std::string& text) {
    (*this)(text.size());
    bytes(text.data(), text.size());
  }
  template <class T>
  void atomic(const std::atomic<T>& value) {
    (*this)(value.load());
  }
  /// How many of them; `each(item)` for each.
  template <class Items, class Each>
  void each(Items& items, Each each) {
    (*this)(items.size());
    for (auto& item : items) each(item);
  }
  template <class T, class In>
  void place(T* const& pointer, In& in) {
    (*this)(pointer == nullptr ? std::size_t{0} : static_cast<std::size_t>(pointer - in.data()) + 1);
  }

  std::vector<std::byte> take() { return std::move(bytes_); }

 private:
  void bytes(const void* from, std::size_t count) {
    const auto* first = static_cast<const std::byte*>(from);
    bytes_.insert(bytes_.end(), first, first + count);
  }

  std::vector<std::byte> bytes_;
};

/// Where there are too few bytes, or a place is none, the state is damaged: `ok()` is false from then on, and everything reads as zero or
/// null. So a build without exceptions is told, too. Whoever follows a pointer that was read asks `ok()` first.
class StateIn {
 public:
  static constexpr bool reading = true;

  explicit StateIn(std::span<const std::byte> bytes) : bytes_(bytes) {}

  template <class... Values>
  void operator()(Values&... values) {
    static_assert((std::is_trivially_copyable_v<Values> && ...));
    (take(&values, sizeof values), ...);
  }
  template <class T>
  void list(std::vector<T>& items) {
    items.resize(count(sizeof(T)));
    take(items.data(), items.size() * sizeof(T));
  }
  void text(std::string& text) {
    text.resize(count(1));
    take(text.data(), text.size());
  }
  template <class Items, class Each>
  void each(Items& items, Each each) {
    items.resize(count(1));
    for (auto& item : items) {
      each(item);
      if (!ok()) return items.clear();
    }
  }
  template <class T, class In>
  void place(T*& pointer, In& in) {
    std::size_t at = 0;
    (*this)(at);
    if (at > in.size()) damage();
    pointer = at == 0 || !ok() ? nullptr : in.data() + (at - 1);
  }

  template <class T>
  void atomic(std::atomic<T>& value) {
    T read{};
    (*this)(read);
    value.store(read);
  }

  bool at_end() const { return bytes_.empty(); }
  bool ok() const { return !damaged_; }
  void damage() {
    damaged_ = true;
    bytes_ = {};
  }

 private:
  std::size_t count(std::size_t size_of_one) {
    std::size_t count = 0;
    (*this)(count);
    if (count > bytes_.size() / size_of_one) damage();
    return ok() ? count : 0;
  }
  void take(void* to, std::size_t count) {
    if (count > bytes_.size()) damage();
    if (count == 0) return;
    if (!ok()) {
      std::memset(to, 0, count);
      return;
    }
    std::memcpy(to, bytes_.data(), count);
    bytes_ = bytes_.subspan(count);
  }

  std::span<const std::byte> bytes_;
  bool damaged_ = false;
};

}  // namespace tidewater
