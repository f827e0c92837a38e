#include <filesystem>
#include <set>

#include "base/whole_file.hpp"
#include "tidewater/author/pack.hpp"

namespace tidewater {
namespace {

std::string escaped(const std::string& path) {
  std::string text;
  for (const char c : path) {
    if (c == ' ' || c == '#') text += '\\';
    if (c == '$') text += '$';
    text += c;
  }
  return text;
}

}  // namespace

void write_depfile(const std::string& path, const std::string& of, const std::vector<PackedBank>& packed) {
  std::set<std::string> made_of;
  for (const PackedBank& bank : packed) made_of.insert(bank.made_of.begin(), bank.made_of.end());
  std::string text = escaped(of) + ":";
  for (const std::string& file : made_of) text += " \\\n  " + escaped(std::filesystem::absolute(file).string());
  write_whole_file(path, text + "\n");
}

}  // namespace tidewater
