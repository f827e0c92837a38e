#pragma once

namespace tidewater::bench {

/// Prints the desk's cost in a running game, and the time from a turn to its sound.
void print_desk_table();

}  // namespace tidewater::bench
