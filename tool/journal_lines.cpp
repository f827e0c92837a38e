#include "journal_lines.hpp"

#include <fmt/format.h>

#include <cstdlib>
#include <sstream>
#include <utility>

#include "base/text_file.hpp"
#include "print.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {

std::string text_of(const Json& value) {
  return value.is_string() ? value.get<std::string>() : value.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string text_at(const Json& line, const char* key) { return line.contains(key) ? text_of(line[key]) : std::string(); }

double seconds_of(const Json& at, double rate) {
  return at.is_number() ? at.get<double>() / rate : std::strtod(text_of(at).c_str(), nullptr);
}

JournalLines::JournalLines(std::string file, const std::vector<std::string>& names)
    : file_(std::move(file)), text_(read_text_file(file_, "a journal")), names_(names) {
  if (text_.find_first_not_of(" \t\r\n") == std::string::npos)
    throw Error(fmt::format("{}: is empty; a game that writes a journal has at least its first line in it", file_));
}

std::size_t JournalLines::each(bool tell, const std::function<void(const Json& line)>& take) const {
  constexpr std::size_t most_told = 5;
  std::size_t number = 0, unread = 0;
  std::istringstream in(text_);
  for (std::string its; std::getline(in, its);) {
    ++number;
    if (its.find_first_not_of(" \t\r") == std::string::npos) continue;
    const Json line = Json::parse(names_.put_into(its), nullptr, false);
    if (line.is_object()) {
      take(line);
    } else if (++unread <= most_told && tell) {
      complain("{}:{}: is not a JSON object; a game that crashed leaves the last line unfinished\n", file_, number);
    }
  }
  if (tell && unread > most_told) complain("{}: {} more lines are none; is it a journal?\n", file_, unread - most_told);
  return unread;
}

}  // namespace tidewater::tool
