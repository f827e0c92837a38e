#pragma once
#include <cstddef>
#include <span>

#include "base/ours.hpp"
#include "tidewater/memory.hpp"

namespace TIDEWATER_OURS tidewater {

/// A large piece of memory, from where the game says. Thread: any.
class LargeMemory {
 public:
  using What = std::uint64_t MemoryHeld::*;

  LargeMemory() = default;
  LargeMemory(std::size_t bytes, std::size_t alignment, What what);
  ~LargeMemory();
  LargeMemory(LargeMemory&& other) noexcept { swap(other); }
  LargeMemory& operator=(LargeMemory&& other) noexcept {
    LargeMemory gone(static_cast<LargeMemory&&>(other));
    swap(gone);
    return *this;
  }

  /// False where there was no room.
  bool there() const { return bytes_ != nullptr; }
  std::span<std::byte> bytes() const { return {bytes_, size_}; }

 private:
  void swap(LargeMemory& other) noexcept;

  std::byte* bytes_ = nullptr;
  std::size_t size_ = 0;
  MemoryFunctions from_;
  What what_ = nullptr;
};

}  // namespace tidewater
