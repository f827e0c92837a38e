#include "author/book/read_sketch.hpp"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <memory>
#include <sstream>

#include "author/book/keys.hpp"
#include "media/placeholder.hpp"
#include "tidewater/audio_file.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/error.hpp"

namespace tidewater {
namespace {

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
  sketch_rows().read(problems, table, plan);
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
    check_recipe(plan.recipe);
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
