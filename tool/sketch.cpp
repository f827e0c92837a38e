#include "tidewater/author/sketch.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "commands.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

namespace fs = std::filesystem;

int sketch(const SketchCall& call) {
  if (call.list) {
    for (const auto& ready : ready_recipes()) say("  {:<12}  {}\n", ready.name, ready.meaning);
    return fine;
  }
  if (call.recipe.empty() || call.output.empty()) {
    complain("sketch needs a RECIPE and --output FILE, or --list\n");
    return bad_call;
  }
  SketchPlan plan;
  if (fs::path(call.recipe).extension() == ".toml")
    plan = read_recipe(call.recipe);
  else
    plan.recipe = ready_recipe(call.recipe);
  plan.seed = call.seed.value_or(plan.seed);
  plan.variants = call.variants.value_or(plan.variants);
  const fs::path output(call.output);
  for (std::uint32_t variant = 0; variant < plan.variants; ++variant) {
    fs::path file = output;
    if (plan.variants > 1) file.replace_filename(fmt::format("{}-{}{}", output.stem().string(), variant + 1, output.extension().string()));
    const auto samples = make_sketch(plan.recipe, plan.seed, variant);
    Rendering::make_folder_of(file.string());
    write_sketch(file.string(), samples);
    say("  {}  {:.2f} s, peak {:.0f} dB, a placeholder\n", file.generic_string(), static_cast<double>(samples.size()) / sketch_rate.value,
        plan.recipe.level.value);
  }
  return fine;
}

}  // namespace tidewater::tool
