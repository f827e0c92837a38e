#pragma once
#include "author/book/tables.hpp"
#include "tidewater/author/sketch.hpp"

namespace tidewater {

/// Reads `sketch = "step"` or `sketch = { like = "step", variants = 5 }`.
SketchPlan read_sketch(Problems& problems, const toml::node& node);

}  // namespace tidewater
