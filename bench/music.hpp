#pragma once

namespace tidewater::bench {

void print_music_table();

}  // namespace tidewater::bench
