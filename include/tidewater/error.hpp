#pragma once
#include <stdexcept>

#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

/// Thrown by loading, parsing and opening, never by playing. The message is for a person: what was asked, where,
/// and what to do. Nothing half-loaded remains behind it.
class Error : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

}  // namespace tidewater
