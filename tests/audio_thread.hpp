#pragma once
/// Watches what may never happen on the audio thread: allocation, locks, files, sleep, system calls. Every test binary
/// fails in the end if any happened inside a guarded render.
///
/// In a plain build whatever allocates, locks, reads, writes or sleeps passes here on its way to the C library. Under
/// sanitizers, which stand at the same doors themselves, allocation is watched through their hooks.

#include <span>

namespace tidewater::testing {

/// While it lives, its thread is the audio thread.
class OnAudioThread {
 public:
  OnAudioThread();
  ~OnAudioThread();
  OnAudioThread(const OnAudioThread&) = delete;
  OnAudioThread& operator=(const OnAudioThread&) = delete;
};

struct Trespasses {
  int allocations = 0, waits = 0;
  friend bool operator==(const Trespasses&, const Trespasses&) = default;
};
/// So far, on all audio threads.
Trespasses trespasses();
/// Takes those back that a test has made on purpose.
void forgive(const Trespasses& down_to);

/// From here on every system call of this thread is caught, counted and refused, but for what its end needs. False where
/// the kernel does not allow that.
bool refuse_system_calls();
int refused_system_calls();

/// Milliseconds that every read of a file takes longer, as on a bad disk. Not under sanitizers.
void stall_disk(int milliseconds);

/// Renders as the audio thread does.
template <class Renderer>
void render_guarded(Renderer& renderer, std::span<float> out) {
  const OnAudioThread guard;
  renderer.render(out);
}

}  // namespace tidewater::testing
