#pragma once
#include <cstdlib>  // says whose C library it is

#ifdef __GLIBC__
#include <malloc.h>
#endif

namespace tidewater::tool {

/// Large pieces of memory come and go all the time where clips are prepared: to give each back to the system, and to be given it anew,
/// takes a third of the time of packing.
inline void keep_memory() {
#ifdef __GLIBC__
  mallopt(M_MMAP_THRESHOLD, 1 << 25);
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
  mallopt(M_TOP_PAD, 1 << 26);
#endif
}

}  // namespace tidewater::tool
