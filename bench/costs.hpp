#pragma once

namespace tidewater::bench {

/// What a frame of a voice costs, part by part: the engine with one thing more at a time.
void print_costs_table();

}  // namespace tidewater::bench
