#pragma once

namespace tidewater::bench {

/// Prints the cost of voices in scopes on hold or in slow motion, the time that calls about scopes hold the lock, and how exact a loop and
/// delays are after pauses and slow motion.
void print_scopes_table();

}  // namespace tidewater::bench
