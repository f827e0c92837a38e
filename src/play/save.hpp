#pragma once
#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "tidewater/bank.hpp"

namespace tidewater {

struct Control;

/// All that what comes next depends on. With the control lock, while nobody renders.
std::vector<std::byte> save(Control& control);
/// Into one that was just made with the same options. Says why it cannot be, and leaves it as it was, where the state is
/// damaged, is of another build or other options, or a bank is missing; empty where it is.
std::string restore(Control& control, std::span<const std::byte> saved, std::span<const Bank> banks);

}  // namespace tidewater
