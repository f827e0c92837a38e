/// A game that ships banks alone: no book, no clips, and only the library that plays.
#include <tidewater/manager.hpp>
#include <tidewater/open_bank.hpp>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <vector>

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  tidewater::SoundManager manager;
  manager.load(tidewater::open_bank(argv[1]));
  manager.raise("menu.moved");
  std::vector<float> block(9600);
  manager.render(block);
  const float loudest = *std::max_element(block.begin(), block.end(), [](float a, float b) { return std::abs(a) < std::abs(b); });
  std::printf("peak %.3f\n", static_cast<double>(std::abs(loudest)));
  return std::abs(loudest) > 0.01F ? 0 : 1;
}
