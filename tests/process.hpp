#pragma once
#include <sys/wait.h>

#include <cstdio>
#include <string>

#include "stage.hpp"

namespace tidewater::testing {

struct Ran {
  int exit = -1;
  std::string out, err;
};

/// Runs a command line of the shell.
inline Ran run(const Folder& folder, const std::string& command) {
  const int status = std::system((command + " >" + folder.path("stdout") + " 2>" + folder.path("stderr")).c_str());
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, folder.read("stdout"), folder.read("stderr")};
}

}  // namespace tidewater::testing
