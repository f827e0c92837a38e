#pragma once
#include <vector>

#include "author/clips/kept_clips.hpp"
#include "tidewater/author/compile.hpp"

namespace tidewater {

/// As `compile` and `compile_banks`, with clips that an earlier compile has prepared. Null for none.
Bank compile_kept(const Book& book, const CompileOptions& options, KeptClips* kept);
std::vector<Bank> compile_banks_kept(const Book& book, const CompileOptions& options, KeptClips* kept);

}  // namespace tidewater
