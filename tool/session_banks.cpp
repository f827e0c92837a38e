#include "session_banks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater::tool {

std::vector<Bank> banks_of(const std::string& path, std::span<const JournalScript> sessions) {
  namespace fs = std::filesystem;
  if (path.ends_with(".tidebank")) return {open_bank(path)};
  if (fs::is_directory(path)) {
    std::vector<std::string> files;
    for (const auto& entry : fs::directory_iterator(path))
      if (entry.path().extension() == ".tidebank") files.push_back(entry.path().string());
    if (files.empty()) throw Error(fmt::format("{}: there is no bank in this folder; tidewater pack makes some of a book", path));
    std::sort(files.begin(), files.end());
    std::vector<Bank> banks;
    for (const std::string& file : files) banks.push_back(open_bank(file));
    return banks;
  }
  ReadBook read = read_book(path);
  const Hertz rate = sessions.front().head.rate;
  const auto loads = [&](const std::string& name) {
    return std::any_of(sessions.begin(), sessions.end(), [&](const JournalScript& script) {
      return std::any_of(script.requests.begin(), script.requests.end(), [&](const ScriptedRequest& its) {
        const auto* load = std::get_if<asked::Load>(&its.asked.request);
        return load != nullptr && load->bank == name;
      });
    });
  };
  if (!read.problems.empty() || loads(read.book.name)) return {compile_book(path, {rate})};
  return compile_banks(read.book, {rate});
}

}  // namespace tidewater::tool
