/// A game that ships banks alone: no book, no clips, and only the library that plays.
///     game BANK...    loads them, plays, and unloads one after the other
#include <tidewater/manager.hpp>
#include <tidewater/open_bank.hpp>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <string>
#include <vector>

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  tidewater::SoundManager manager;
  std::vector<std::string> banks;
  for (int i = 1; i < argc; ++i) {
    const tidewater::Read<tidewater::Bank> bank = tidewater::read_bank(std::string(argv[i]));
    if (!bank.value) {
      std::printf("%s\n", bank.problem.c_str());
      return 1;
    }
    manager.load(*bank.value);
    banks.emplace_back(bank.value->name());
  }
  manager.raise("menu.moved");
  std::vector<float> block(9600);
  manager.render(block);
  const float loudest = *std::max_element(block.begin(), block.end(), [](float a, float b) { return std::abs(a) < std::abs(b); });
  std::printf("%zu banks, peak %.3f\n", banks.size(), static_cast<double>(std::abs(loudest)));
  for (const std::string& bank : banks)
    if (!manager.unload(bank, tidewater::WhatPlays::finishes)) return 1;
  const bool forgotten = manager.raise("menu.moved").outcome == tidewater::Outcome::bank_not_loaded;
  return std::abs(loudest) > 0.01F && forgotten ? 0 : 1;
}
