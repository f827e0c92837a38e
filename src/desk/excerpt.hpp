#pragma once
/// The part of a book that one sound depends on, as text. Reading it takes as long for a book of 2,000 sounds as for a book of one.

#include <map>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace tidewater::desk {

/// Where the text of each sound stands in a book.
class Excerpts {
 public:
  /// Reads the text once. Throws Error if it is no TOML.
  explicit Excerpts(std::string_view text);

  /// The book without events, banks, targets, credits and accepted advice, and without all sounds but these and those that they are like.
  std::string of(const std::vector<std::string>& sounds) const;
  /// These sounds and those that they are like.
  std::set<std::string> with_models(const std::vector<std::string>& sounds) const;
  /// The sounds that take values over from this one by `like`, directly or through others.
  std::vector<std::string> heirs_of(const std::string& sound) const;

 private:
  struct Part {
    std::size_t from = 0, end = 0;
    std::string sound;  ///< empty for a part that is in no excerpt
  };

  std::string text_;
  std::vector<Part> parts_;                  ///< that an excerpt may leave out, in the order of the text
  std::map<std::string, std::string> like_;  ///< by sound
};

}  // namespace tidewater::desk
