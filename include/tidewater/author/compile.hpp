#pragma once
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/bank.hpp"

namespace tidewater {

struct CompileOptions {
  /// Every clip is brought to this rate, from 8 to 192 kHz.
  Hertz rate{48000};
};

/// Makes a bank in memory: each clip is decoded once, however many sounds use it, and brought to the bank's rate.
/// Throws Error with every clip that cannot be played, one a line.
/// Thread: any. Takes as long as decoding takes.
Bank compile(const Book& book, const CompileOptions& options = {});

/// One bank for each that the book names by [banks.NAME], or one of all. Throws Error, too, where an event stops what another bank starts.
std::vector<Bank> compile_banks(const Book& book, const CompileOptions& options = {});

/// Reads, checks and compiles all of a book to one bank. Throws Error with all the problems, one a line.
Bank compile_book(const std::string& path, const CompileOptions& options = {});

}  // namespace tidewater
