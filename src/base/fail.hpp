#pragma once
/// Errors in a library that is compiled with exceptions or without. What a game that has none may meet is told by value; the rest ends in
/// `fail`.

#include <exception>
#include <string>

namespace tidewater {

/// Throws Error. In a build without exceptions the words go to stderr, and the program ends.
[[noreturn]] void fail(const std::string& why);

/// Returns what `work` returns: a problem, or nothing. An exception from `work`, or from the game's code in it, is a problem, too.
template <class Work>
std::string problem_of(Work work) {
#ifdef __cpp_exceptions
  try {
    return work();
  } catch (const std::exception& error) {
    return error.what();
  } catch (...) {
    return "something was thrown that says nothing";
  }
#else
  return work();
#endif
}

}  // namespace tidewater
