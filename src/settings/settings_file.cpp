#include "tidewater/settings_file.hpp"

#include <fmt/format.h>

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <system_error>

#include "base/text.hpp"
#include "base/text_file.hpp"
#include "base/whole_file.hpp"

namespace tidewater {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t largest_file = std::size_t{1} << 20;
constexpr int deepest = 4;  // the file, `groups`, a group, a value
constexpr const char* version_key = "tidewater-settings";
constexpr int version = 1;

/// "3:14", where a byte of a text lies.
std::string place_in(std::string_view text, std::size_t byte) {
  const std::string_view before = text.substr(0, std::min(byte, text.size()));
  const auto line = 1 + std::count(before.begin(), before.end(), '\n');
  return fmt::format("{}:{}", line, before.size() - (before.rfind('\n') == std::string_view::npos ? 0 : before.rfind('\n') + 1) + 1);
}

/// Finds the first byte that is no JSON.
struct ErrorPlace : nlohmann::json_sax<Json> {
  bool null() override { return true; }
  bool boolean(bool) override { return true; }
  bool number_integer(number_integer_t) override { return true; }
  bool number_unsigned(number_unsigned_t) override { return true; }
  bool number_float(number_float_t, const string_t&) override { return true; }
  bool string(string_t&) override { return true; }
  bool binary(binary_t&) override { return true; }
  bool start_object(std::size_t) override { return ++depth <= deepest; }
  bool key(string_t&) override { return true; }
  bool end_object() override { return --depth, true; }
  bool start_array(std::size_t) override { return ++depth <= deepest; }
  bool end_array() override { return --depth, true; }
  bool parse_error(std::size_t at, const std::string&, const nlohmann::detail::exception&) override {
    byte = at;
    return false;
  }
  std::size_t byte = 0;  ///< from 1; 0 if there is none
  int depth = 0;
};

/// The document, or why there is none. Looks for errors before anything is built, so that brackets without end cost nothing.
Read<Json> read_json(const std::string& text, const std::string& path) {
  ErrorPlace error;
  if (!Json::sax_parse(text, &error)) {
    const std::string where = error.byte > 0 ? fmt::format("{}:{}: ", path, place_in(text, error.byte - 1)) : path + ": ";
    return {std::nullopt, where + (error.byte > 0 ? "this is no JSON" : "the values are nested too deeply") + "; all levels are full"};
  }
  Json json = Json::parse(text, nullptr, false);
  if (!json.is_object() || !json.contains(version_key) || !json[version_key].is_number_integer())
    return {std::nullopt,
            fmt::format("{}: this is no settings file: it has no \"{}\": {}; all levels are full", path, version_key, version)};
  if (json[version_key].get<std::int64_t>() > version)
    return {std::nullopt, fmt::format("{}: a newer version of the game wrote it; all levels are full", path)};
  return {std::move(json), {}};
}

Read<Json> read_file(const std::string& path) {
  const Read<std::string> text = read_text(path, "a settings file", largest_file);
  if (!text.value) return {std::nullopt, text.problem + "; all levels are full"};
  return read_json(*text.value, path);
}

bool is_there(const std::string& path) {
  std::error_code error;
  return std::filesystem::exists(path, error);
}

}  // namespace

SettingsRead read_settings(const std::string& path) {
  SettingsRead read;
  if (!is_there(path)) return read;
  const Read<Json> json = read_file(path);
  if (!json.value) {
    read.problem = json.problem;
    return read;
  }
  const auto wrong = [&](const std::string& what) {
    read.problem += fmt::format("{}{}: {}", read.problem.empty() ? "" : "\n", path, what);
  };
  const auto groups = json.value->find("groups");
  if (groups == json.value->end()) return read;
  if (!groups->is_object()) {
    wrong("'groups' is not an object; all levels are full");
    return read;
  }
  for (const auto& [name, its] : groups->items()) {
    const std::string called = printable(name);
    if (!its.is_object()) {
      wrong(fmt::format("the group '{}' is not an object; its level is full", called));
      continue;
    }
    read.settings.set_on(name, true);  // it stays in the file, whatever it says
    if (const auto level = its.find("level"); level != its.end()) {
      const double value = level->is_number() ? level->get<double>() : -1;
      if (value >= 0 && value <= 1)
        read.settings.set_level(name, value);
      else if (level->is_number())
        read.settings.set_level(name, value), wrong(fmt::format("the level of '{}' is {}; from 0 to 1 there may be, and {} is taken",
                                                                called, level->dump(), read.settings.level(name).value));
      else
        wrong(fmt::format("the level of '{}' is {}, not a number from 0 to 1; it is full", called, printable(level->dump())));
    }
    if (const auto on = its.find("on"); on != its.end()) {
      if (on->is_boolean())
        read.settings.set_on(name, on->get<bool>());
      else
        wrong(fmt::format("'on' of '{}' is {}, not true or false; it is on", called, printable(on->dump())));
    }
  }
  return read;
}

std::string write_settings(const Settings& settings, const std::string& path) {
  std::error_code error;
  if (const auto folder = std::filesystem::path(path).parent_path(); !folder.empty()) std::filesystem::create_directories(folder, error);
  if (error) return fmt::format("{}: the folder cannot be made: {}", path, error.message());
  if (std::filesystem::is_regular_file(path, error) && !read_file(path).value) {
    std::filesystem::rename(path, path + ".damaged", error);
    if (error) return fmt::format("{}: the damaged file cannot be moved away: {}", path, error.message());
  }
  Json json = {{version_key, version}, {"groups", Json::object()}};
  for (const Settings::Group& its : settings.groups()) json["groups"][its.name] = {{"level", its.level.value}, {"on", its.on}};
  return try_write_whole_file(path, json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
}

}  // namespace tidewater
