#pragma once
#include <vector>

#include "author/clips/kept_clips.hpp"
#include "tidewater/author/compile.hpp"

namespace tidewater {

/// Compile as `compile` and `compile_banks` do, with the clips of earlier compiles. `kept` may be null.
Bank compile_kept(const Book& book, const CompileOptions& options, KeptClips* kept);
std::vector<Bank> compile_banks_kept(const Book& book, const CompileOptions& options, KeptClips* kept);

}  // namespace tidewater
