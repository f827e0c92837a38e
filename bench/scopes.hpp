#pragma once

namespace tidewater::bench {

/// What voices cost whose scope is paused or slowed, and how long calls about scopes hold the lock.
void print_scopes_table();

}  // namespace tidewater::bench
