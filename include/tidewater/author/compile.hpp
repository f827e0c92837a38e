#pragma once
#include <cstddef>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "tidewater/author/book.hpp"
#include "tidewater/bank.hpp"
#include "tidewater/export.hpp"

namespace TIDEWATER_API tidewater {

struct CompileOptions {
  /// Every clip is brought to this rate, from 8 to 192 kHz; 0: the target's, or else 48 kHz.
  Hertz rate = {};
  /// A target of the book; empty for clips as they are.
  std::string target = {};
  /// Of speech; empty for the first of the book's.
  std::string language = {};
  /// Hears how many clips of how many are prepared.
  std::function<void(std::size_t done, std::size_t all)> progress = {};
};

/// Makes a bank in memory: each clip is decoded once, however many sounds use it, and brought to the bank's rate.
/// Throws Error with every clip that cannot be played, one a line, or where there is no such target.
/// Thread: any. Takes as long as decoding takes.
Bank compile(const Book& book, const CompileOptions& options = {});

/// One bank for each that the book names by [banks.NAME], or one of all. Throws Error, too, where an event stops what another bank starts.
std::vector<Bank> compile_banks(const Book& book, const CompileOptions& options = {});

/// Compiles a book again and again while it is edited: clips and sketches that have not changed since the last time are taken from memory.
/// A file counts as unchanged if its size and its time are the same. Holds the memory of one compiled book. Thread: one at a time.
class Compiler {
 public:
  Compiler();
  ~Compiler();
  Compiler(const Compiler&) = delete;
  Compiler& operator=(const Compiler&) = delete;

  /// Returns the banks that the function `compile_banks` returns. Throws as it does.
  std::vector<Bank> compile_banks(const Book& book, const CompileOptions& options = {});

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Reads, checks and compiles all of a book to one bank. Throws Error with all the problems, one a line.
Bank compile_book(const std::string& path, const CompileOptions& options = {});

}  // namespace tidewater
