#pragma once
#include <map>
#include <set>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// Reads [events.NAME] and their responses. Must come after the sounds.
class EventReader {
 public:
  /// If `whole` is false, lines were skipped, and missing things are not reported.
  EventReader(bool whole, Book& book, Problems& problems);

  void read(const toml::key& key, const toml::table& table);

  /// A name in a response, and where it stands.
  struct Named {
    TargetKind kind;
    std::string name;
    FilePlace place;
  };
  const std::vector<Named>& named() const { return named_; }
  /// Names of events that should have had quotes.
  const std::set<std::string>& dotted() const { return dotted_; }

 private:
  void problem(const toml::node& node, std::string message) { problems_.add(problems_.at(node), std::move(message)); }
  void missing(FilePlace place, std::string message) {
    if (whole_) problems_.add(std::move(place), std::move(message));
  }
  void read_list(const toml::node& list, BookEvent& event);
  void read_response(const toml::table& table, BookEvent& event);
  bool is_of_other_kind(const BookResponse& response);
  void check_keys_of(const toml::table& table, Verb verb);
  void read_value(const toml::table& table, BookResponse& response);
  void read_whom(const toml::table& table, BookResponse& response);
  void read_when(const toml::table& table, BookResponse& response);

  bool whole_;
  Book& book_;
  Problems& problems_;
  std::unordered_map<std::string, Seconds> fade_outs_;  ///< of each sound
  std::vector<Named> named_;
  std::set<std::string> dotted_;
};

}  // namespace tidewater
