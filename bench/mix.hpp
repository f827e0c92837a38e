#pragma once

namespace tidewater::bench {

/// What ducks and moods cost a block, and how quickly a mix is measured and compared.
void print_mix_table();

}  // namespace tidewater::bench
