/// A game that ships banks alone: no book, no clips, and only the library that plays. It has memory of its own for what is large, and asks
/// for everything by value: so it builds without exceptions, too.
///     game BANK...    loads them, plays, and unloads one after the other
#include <tidewater/manager.hpp>
#include <tidewater/memory.hpp>
#include <tidewater/open_bank.hpp>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

namespace {

std::size_t in_use = 0;

void* take(std::size_t bytes, std::size_t alignment, void*) {
  in_use += bytes;
  return std::aligned_alloc(alignment, (bytes + alignment - 1) / alignment * alignment);
}

void give_back(void* memory, std::size_t bytes, void*) {
  in_use -= bytes;
  std::free(memory);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  tidewater::set_memory({.take = take, .give_back = give_back});
  tidewater::SoundManager manager;
  std::vector<std::string> banks;
  for (int i = 1; i < argc; ++i) {
    const tidewater::Read<tidewater::Bank> bank = tidewater::read_bank(std::string(argv[i]));
    if (!bank.value) {
      std::printf("%s\n", bank.problem.c_str());
      return 1;
    }
    if (const std::string problem = manager.try_load(*bank.value); !problem.empty()) {
      std::printf("%s\n", problem.c_str());
      return 1;
    }
    banks.emplace_back(bank.value->name());
  }
  std::printf("%zu bytes of %zu are samples\n", static_cast<std::size_t>(tidewater::memory_held().samples), in_use);
  if (tidewater::memory_held().all() != in_use || in_use == 0) return 1;
  manager.raise("menu.moved");
  std::vector<float> block(9600);
  manager.render(block);
  const float loudest = *std::max_element(block.begin(), block.end(), [](float a, float b) { return std::abs(a) < std::abs(b); });
  std::printf("%zu banks, peak %.3f\n", banks.size(), static_cast<double>(std::abs(loudest)));
  for (const std::string& bank : banks)
    if (!manager.unload(bank, tidewater::WhatPlays::finishes)) return 1;
  for (int i = 0; i < 20; ++i) {
    manager.update(tidewater::Seconds{0.1});
    manager.render(block);
  }
  if (in_use != 0) return 1;
  const bool forgotten = manager.raise("menu.moved").outcome == tidewater::Outcome::bank_not_loaded;
  return std::abs(loudest) > 0.01F && forgotten ? 0 : 1;
}
