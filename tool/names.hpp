#pragma once
#include <fmt/format.h>

#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "tidewater/author/unpack.hpp"

namespace tidewater::tool {

/// Names that banks were packed without.
class StrippedNames {
 public:
  /// Reads files NAME.names. Throws Error if a file is not one.
  explicit StrippedNames(const std::vector<std::string>& files) {
    for (const std::string& file : files) names_.merge(read_names(file));
  }

  /// A journal's line with each hash of a name replaced by the name.
  std::string put_into(std::string line) const {
    if (names_.empty()) return line;
    for (std::size_t at = 0; (at = line.find('#', at)) != std::string::npos; ++at)
      if (const auto name = names_.find(line.substr(at, 17)); name != names_.end()) {
        using Json = nlohmann::json;
        const std::string its = Json(name->second).dump(-1, ' ', false, Json::error_handler_t::replace);
        line.replace(at, 17, its, 1, its.size() - 2);
      }
    return line;
  }

 private:
  std::map<std::string, std::string> names_;
};

}  // namespace tidewater::tool
