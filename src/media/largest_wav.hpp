#pragma once
#include <cstdint>

namespace tidewater {

/// Bytes of samples up to which a file is plain WAV; what becomes larger is RF64. A test makes it small.
extern std::uint64_t largest_wav;

}  // namespace tidewater
