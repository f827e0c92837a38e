#pragma once

namespace tidewater::bench {

/// How clean a sine stays when it is played at another speed: ours beside libraries that do nothing else, on the same input.
void print_clean_table();

}  // namespace tidewater::bench
