#pragma once

namespace tidewater::bench {

/// What single calls take, at the median and in the worst of a thousand; and how long a call waits for the lock while another
/// thread loads, unloads or updates.
void print_calls_table();

}  // namespace tidewater::bench
