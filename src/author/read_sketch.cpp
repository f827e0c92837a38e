#include "author/read_sketch.hpp"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <memory>
#include <sstream>

#include "media/placeholder.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

constexpr std::int64_t most_variants = 64;

void read_count(Problems& problems, const toml::table& table, std::string_view key, std::int64_t most, std::int64_t& into) {
  const toml::node* node = table.get(key);
  if (node == nullptr) return;
  const std::int64_t count = node->is_integer() ? node->value_or<std::int64_t>(-1) : -1;
  if (count < 1 || count > most)
    problems.add(problems.at(*node), fmt::format("'{}' must be a whole number from 1 to {}", key, most));
  else
    into = count;
}

void read_recipe_keys(Problems& problems, const toml::table& table, SketchPlan& plan) {
  check_keys(problems, table, "a sketch", keys_of("sketch"));
  Recipe& recipe = plan.recipe;
  if (const auto* like = text(problems, table, "like")) {
    try {
      recipe = ready_recipe(*like);
    } catch (const Error& error) {
      problems.add(problems.at(*table.get("like")), error.what());
    }
  }
  static const std::vector<std::string_view> sources = {"tone", "noise", "pluck", "bell", "crackle"};
  std::string source;
  read_word(problems, table, "source", sources, source);
  for (std::size_t i = 0; i < sources.size(); ++i)
    if (source == sources[i]) recipe.source = static_cast<SketchSource>(i);
  read_quantity(problems, table, "pitch", read_hertz, recipe.pitch);
  read_quantity(problems, table, "glide", read_semitones, recipe.glide);
  read_quantity(problems, table, "length", read_seconds, recipe.length);
  read_quantity(problems, table, "attack", read_seconds, recipe.attack);
  read_bool(problems, table, "hold", recipe.hold);
  read_quantity(problems, table, "low-pass", read_hertz, recipe.low_pass);
  read_quantity(problems, table, "high-pass", read_hertz, recipe.high_pass);
  read_quantity(problems, table, "level", read_decibels, recipe.level);
  if (const auto* notes = table.get_as<toml::array>("notes")) {
    recipe.notes.clear();
    for (const auto& note : *notes) {
      const auto read = read_semitones(note.value_or(std::string("?")));
      if (read.value)
        recipe.notes.push_back(*read.value);
      else
        problems.add(problems.at(note), "notes: " + read.problem);
    }
  }
  std::int64_t variants = 1;
  std::int64_t seed = 1;
  read_count(problems, table, "variants", most_variants, variants);
  read_count(problems, table, "seed", std::int64_t{1} << 53, seed);
  plan.variants = static_cast<std::uint32_t>(variants);
  plan.seed = static_cast<std::uint64_t>(seed);
}

}  // namespace

SketchPlan read_sketch(Problems& problems, const toml::node& node) {
  SketchPlan plan;
  try {
    if (const auto* name = node.as_string())
      plan.recipe = ready_recipe(name->get());
    else if (const auto* table = node.as_table())
      read_recipe_keys(problems, *table, plan);
    else
      problems.add(problems.at(node), "'sketch' must be the name of a recipe, or a table such as { like = \"step\", variants = 5 }");
    make_sketch(plan.recipe, plan.seed);
  } catch (const Error& error) {
    problems.add(problems.at(node), fmt::format("sketch: {}", error.what()));
  }
  return plan;
}

SketchPlan read_recipe(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  if (!in || !std::filesystem::is_regular_file(path)) throw Error(fmt::format("{}: there is no such file", path));
  std::ostringstream text;
  text << in.rdbuf();
  Problems problems(path);
  const Document document = read_document(text.str(), problems);
  SketchPlan plan;
  if (document.whole) plan = read_sketch(problems, document.root);
  std::string all;
  for (const auto& problem : problems.take()) all += (all.empty() ? "" : "\n") + to_text(problem);
  if (!all.empty()) throw Error(all);
  return plan;
}

void write_sketch(const std::string& path, const std::vector<float>& samples) {
  AudioFileWriter file(path, sketch_rate, 1, SampleFormat::pcm_16);
  file.comment(placeholder_comment);
  file.write(samples);
  file.close();
}

}  // namespace tidewater
