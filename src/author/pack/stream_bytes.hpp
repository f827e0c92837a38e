#pragma once
#include <memory>

#include "bank/bank_data.hpp"
#include "media/bytes.hpp"

namespace tidewater {

/// The file that a clip streams from. Throws Error that names it.
std::unique_ptr<Bytes> stream_bytes(const StreamedFile& file);

}  // namespace tidewater
