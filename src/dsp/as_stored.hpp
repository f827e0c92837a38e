#pragma once

namespace tidewater::kernels {

/// What was stored is loaded again where it is used: a load that fills a vector with one value costs less than to take
/// another vector apart, which compilers prefer.
template <class T>
inline __attribute__((always_inline)) const T* as_stored(const T* from) {
  __asm__ volatile("" : "+r"(from) : : "memory");
  return from;
}

}  // namespace tidewater::kernels
