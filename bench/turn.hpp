#pragma once

namespace tidewater::bench {

/// Cost of changing a value in a book's text, and of turning a sound while it plays.
void print_turn_table();

}  // namespace tidewater::bench
