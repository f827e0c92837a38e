#pragma once
#include <string>

namespace tidewater::bench {

/// Opening and playing banks, beside decoding the clips that they were packed of.
void print_banks_table();

/// How much memory a process takes that opens a bank; in one of its own, where nothing else was.
void print_resident(const std::string& path);

}  // namespace tidewater::bench
