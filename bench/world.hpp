#pragma once

namespace tidewater::bench {

/// A hundred thousand things that sound and move, beside one pass over their places; and what journals keep of walkers.
void print_world_table();

}  // namespace tidewater::bench
