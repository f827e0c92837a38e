#pragma once

namespace tidewater::bench {

/// How long a book of 2,000 clips, two hours of audio, takes to check: cold, and when nothing has changed; and to compile.
void print_books_table();

}  // namespace tidewater::bench
