#pragma once
/// Errors in a library that is compiled with exceptions or without. What a game that has none may meet is told by value; the rest ends in
/// `fail`.

#include <exception>
#include <string>

namespace tidewater {

/// Throws Error. In a build without exceptions the words go to stderr, and the program ends.
[[noreturn]] void fail(const std::string& why);

/// What `work` returns: empty, or what went wrong; also what it throws, or what code of the game's throws in it.
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
