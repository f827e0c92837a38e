#pragma once

namespace tidewater::bench {

/// Cost of ducks and moods in a block, and speed of measuring and comparing a mix.
void print_mix_table();

}  // namespace tidewater::bench
