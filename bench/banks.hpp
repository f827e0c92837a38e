#pragma once

namespace tidewater::bench {

/// Opening banks, beside decoding the clips that they were packed of.
void print_banks_table();

}  // namespace tidewater::bench
