#pragma once

namespace tidewater::bench {

/// What takes a time in proportion to its size, at two sizes: ten times as much should take about ten times as long.
void print_growth_table();

}  // namespace tidewater::bench
