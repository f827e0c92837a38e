#include "base/large_memory.hpp"

#include <atomic>
#include <mutex>
#include <new>
#include <utility>

namespace tidewater {
namespace {

constexpr std::size_t most_aligned = 64;

/// The library's own, unless a game says otherwise.
constexpr MemoryFunctions standard = {
    [](std::size_t bytes, std::size_t, void*) { return ::operator new (bytes, std::align_val_t{most_aligned}, std::nothrow); },
    [](void* memory, std::size_t, void*) { ::operator delete (memory, std::align_val_t{most_aligned}); }};

std::mutex mutex;
MemoryFunctions functions = standard;

struct Held {
  std::atomic<std::uint64_t> samples{0}, tables{0}, streams{0};

  std::atomic<std::uint64_t>& of(LargeMemory::What what) {
    return what == &MemoryHeld::samples ? samples : what == &MemoryHeld::tables ? tables : streams;
  }
};
Held held;

}  // namespace

void set_memory(const MemoryFunctions& given) {
  const std::lock_guard lock(mutex);
  functions = given.take != nullptr && given.give_back != nullptr ? given : standard;
}

MemoryHeld memory_held() { return {held.samples, held.tables, held.streams}; }

LargeMemory::LargeMemory(std::size_t bytes, std::size_t alignment, What what) : size_(bytes), what_(what) {
  {
    const std::lock_guard lock(mutex);
    from_ = functions;
  }
  bytes_ = static_cast<std::byte*>(from_.take(bytes, alignment, from_.user));
  if (bytes_ != nullptr) held.of(what) += bytes;
}

LargeMemory::~LargeMemory() {
  if (bytes_ == nullptr) return;
  from_.give_back(bytes_, size_, from_.user);
  held.of(what_) -= size_;
}

void LargeMemory::swap(LargeMemory& other) noexcept {
  std::swap(bytes_, other.bytes_);
  std::swap(size_, other.size_);
  std::swap(from_, other.from_);
  std::swap(what_, other.what_);
}

}  // namespace tidewater
