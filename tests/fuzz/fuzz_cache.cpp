#include <cmath>
#include <cstdint>
#include <cstring>
#include <memory>
#include <vector>

#include "author/clips/clip_cache.hpp"
#include "bank/bank_data.hpp"
#include "mix/mixer.hpp"

/// Whatever a kept file holds, it is refused, or it plays. The hash guards against damage; here it is always right, so that
/// the bounds behind it are tried.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace tidewater;
  const std::shared_ptr<char[]> memory(new char[size + 1]);
  std::memcpy(memory.get(), data, size);
  const std::uint64_t hash = prepared_hash({memory.get(), size});
  if (size >= 16) std::memcpy(memory.get() + 8, &hash, 8);
  BankClip clip;
  if (!read_prepared(memory, size, "f", clip) || clip.streamed) return 0;
  for (const bool loop : {false, true})
    for (const double speed : {1.0, 0.3, 7.9}) {
      Mixer mixer({.voices = 1});
      StartVoice start;
      start.clip = clip.view();
      start.step = step_for(speed);
      start.position = clip.frames - 1;
      start.loop = loop;
      mixer.post(start);
      std::vector<float> out(2 * 777);
      mixer.render(out);
      for (const float x : out)
        if (!std::isfinite(x)) __builtin_trap();
    }
  return 0;
}
