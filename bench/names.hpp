#pragma once

namespace tidewater::bench {

void print_names_table();

}  // namespace tidewater::bench
