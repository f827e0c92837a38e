#include "audio_thread.hpp"

#include <dlfcn.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <pthread.h>
#include <sched.h>
#include <sys/prctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <chrono>
#include <csignal>
#include <cstddef>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <new>
#include <thread>

namespace {

thread_local bool on_audio_thread = false;
std::atomic<int> allocations{0}, waits{0}, refused{0}, disk_stall{0};

void count_allocation() {
  if (on_audio_thread) ++allocations;
}

}  // namespace

#ifdef TIDEWATER_SANITIZED
extern "C" int __sanitizer_install_malloc_and_free_hooks(void (*)(const volatile void*, std::size_t), void (*)(const volatile void*));
namespace {
const int hooked = __sanitizer_install_malloc_and_free_hooks([](const volatile void*, std::size_t) { count_allocation(); },
                                                             [](const volatile void*) { count_allocation(); });
}
#else
void* operator new(std::size_t size) {
  count_allocation();
  if (void* memory = std::malloc(size == 0 ? 1 : size)) return memory;
  throw std::bad_alloc();
}
void operator delete(void* memory) noexcept {
  count_allocation();
  std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept { operator delete(memory); }

namespace {
template <class F>
F* real(const char* name) {
  if (on_audio_thread) ++waits;
  return reinterpret_cast<F*>(dlsym(RTLD_NEXT, name));
}
}  // namespace
extern "C" {
int pthread_mutex_lock(pthread_mutex_t* mutex) noexcept { return real<int(pthread_mutex_t*)>("pthread_mutex_lock")(mutex); }
int pthread_cond_wait(pthread_cond_t* condition, pthread_mutex_t* mutex) {
  return real<int(pthread_cond_t*, pthread_mutex_t*)>("pthread_cond_wait")(condition, mutex);
}
std::FILE* fopen(const char* path, const char* mode) { return real<std::FILE*(const char*, const char*)>("fopen")(path, mode); }
ssize_t write(int file, const void* bytes, size_t size) { return real<ssize_t(int, const void*, size_t)>("write")(file, bytes, size); }
ssize_t read(int file, void* bytes, size_t size) {
  if (const int stall = disk_stall; stall > 0) std::this_thread::sleep_for(std::chrono::milliseconds(stall));
  return real<ssize_t(int, void*, size_t)>("read")(file, bytes, size);
}
ssize_t pread(int file, void* bytes, size_t size, off_t at) {
  if (const int stall = disk_stall; stall > 0) std::this_thread::sleep_for(std::chrono::milliseconds(stall));
  return real<ssize_t(int, void*, size_t, off_t)>("pread")(file, bytes, size, at);
}
int nanosleep(const timespec* time, timespec* left) { return real<int(const timespec*, timespec*)>("nanosleep")(time, left); }
int sched_yield() noexcept { return real<int()>("sched_yield")(); }
}
#endif

namespace tidewater::testing {

OnAudioThread::OnAudioThread() { on_audio_thread = true; }
OnAudioThread::~OnAudioThread() { on_audio_thread = false; }

Trespasses trespasses() { return {allocations, waits}; }
void forgive(const Trespasses& down_to) {
  allocations = down_to.allocations;
  waits = down_to.waits;
}
void stall_disk(int milliseconds) { disk_stall = milliseconds; }

bool refuse_system_calls() {
  struct sigaction action {};
  action.sa_handler = [](int) { ++refused; };
  sigaction(SIGSYS, &action, nullptr);
  // Each allowed call is compared in turn; what fits none is caught.
  constexpr std::array<unsigned, 8> allowed = {SYS_exit,    SYS_exit_group, SYS_rt_sigreturn, SYS_rt_sigprocmask,
                                               SYS_madvise, SYS_munmap,     SYS_futex,        SYS_rseq};
  std::array<sock_filter, 2 * allowed.size() + 2> steps{};
  steps[0] = BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, nr));
  for (std::size_t i = 0; i < allowed.size(); ++i) {
    steps[1 + 2 * i] = BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, allowed[i], 0, 1);
    steps[2 + 2 * i] = BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW);
  }
  steps.back() = BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_TRAP);
  const sock_fprog program{static_cast<unsigned short>(steps.size()), steps.data()};
  return prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0 && prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program, 0, 0) == 0;
}
int refused_system_calls() { return refused; }

}  // namespace tidewater::testing
