#pragma once
/// Placeholder clips, made from a small recipe. Quiet, and marked as placeholders until they are replaced.

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "tidewater/export.hpp"
#include "tidewater/units.hpp"

namespace TIDEWATER_API tidewater {

enum class SketchSource { tone, noise, pluck, bell, crackle };

struct Recipe {
  SketchSource source = SketchSource::tone;
  Hertz pitch{440};                ///< where it begins; of crackle, how many a second
  Semitones glide{};               ///< how far the pitch has moved at the end
  std::vector<Semitones> notes{};  ///< played one after the other in equal parts; none: one
  Seconds length{0.3};
  Seconds attack{0.003};  ///< then it dies away to -60 dB at its end
  bool hold = false;      ///< keeps its level in place of dying away: for loops, whose ends meet
  Hertz low_pass{};       ///< 0 for none
  Hertz high_pass{};
  Decibels level{-20};  ///< of its peak, relative to full scale
};

/// Mono samples at 48 kHz. The same recipe, seed and variant give the same samples; variants differ a little in pitch,
/// length and colour. Throws Error where the recipe's envelope is impossible.
std::vector<float> make_sketch(const Recipe& recipe, std::uint64_t seed = 1, std::uint32_t variant = 0);
/// Throws Error where `make_sketch` would.
void check_recipe(const Recipe& recipe);
inline constexpr Hertz sketch_rate{48000};

/// Ready recipes for what games need first.
struct ReadyRecipe {
  std::string_view name;
  std::string_view meaning;
  Recipe recipe;
};
const std::vector<ReadyRecipe>& ready_recipes();
/// Throws Error with the nearest name where there is none.
const Recipe& ready_recipe(std::string_view name);

/// A recipe and what to make of it, as a book or a file of its own says.
struct SketchPlan {
  Recipe recipe;
  std::uint64_t seed = 1;
  std::uint32_t variants = 1;
};

/// Reads a recipe file: TOML with the keys of `sketch` in docs/book.md. Throws Error with every problem, one a line.
SketchPlan read_recipe(const std::string& path);

/// Writes one clip, marked as a placeholder in the file's own comment.
void write_sketch(const std::string& path, const std::vector<float>& samples);

}  // namespace tidewater
