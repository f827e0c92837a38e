#include "base/fail.hpp"

#include <cstdio>
#include <cstdlib>

#include "tidewater/error.hpp"

namespace tidewater {

void fail(const std::string& why) {
#ifdef __cpp_exceptions
  throw Error(why);
#else
  std::fprintf(stderr, "tidewater: %s\n", why.c_str());
  std::abort();
#endif
}

}  // namespace tidewater
