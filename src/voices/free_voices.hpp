#pragma once
#include <bit>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace tidewater {

/// The lowest comes first: which voice a sound gets, and so the order of addition, never depends on the order of reports.
class FreeVoices {
 public:
  explicit FreeVoices(std::size_t voices) : words_((voices + bits - 1) / bits) {
    for (std::uint32_t voice = 0; voice < voices; ++voice) put(voice);
  }

  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }

  void put(std::uint32_t voice) {
    words_[voice / bits] |= std::uint64_t{1} << (voice % bits);
    ++size_;
  }
  /// There must be one.
  std::uint32_t lowest() const {
    std::uint32_t word = 0;
    while (words_[word] == 0) ++word;
    return word * bits + static_cast<std::uint32_t>(std::countr_zero(words_[word]));
  }
  /// There must be one.
  std::uint32_t take() {
    const std::uint32_t voice = lowest();
    words_[voice / bits] &= words_[voice / bits] - 1;
    --size_;
    return voice;
  }

  template <class State>
  void state(State& s) {
    s.list(words_);
    s(size_);
  }

 private:
  static constexpr std::uint32_t bits = 64;
  std::vector<std::uint64_t> words_;
  std::size_t size_ = 0;
};

}  // namespace tidewater
