#pragma once

namespace tidewater::bench {

/// What the desk costs a game, and how soon a turn is heard.
void print_desk_table();

}  // namespace tidewater::bench
