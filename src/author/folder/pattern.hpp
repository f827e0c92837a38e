#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace tidewater {

/// "steps/{surface}-*.flac": `*` is any text, `?` any one letter, `{trait}` a value of letters, digits and _. All else is itself.
///
/// Matching takes a time in proportion to the pattern's length times the name's, whatever they hold.
class Pattern {
 public:
  /// Whether `*` and `?` go on past a folder's slash.
  enum class Slashes { stop, pass };
  explicit Pattern(std::string_view text, Slashes slashes = Slashes::stop);

  /// What is wrong with the pattern itself, or empty; then nothing fits it.
  const std::string& problem() const { return problem_; }
  const std::vector<std::string>& traits() const { return traits_; }
  /// What every name that fits begins with.
  const std::string& beginning() const { return beginning_; }
  bool plain() const { return plain_; }

  bool fits(std::string_view name) const { return values(name).has_value(); }
  /// The value of each trait, the longest that fits first; nothing where the name does not fit.
  std::optional<std::vector<std::string>> values(std::string_view name) const;

 private:
  enum class Kind : unsigned char { letter, one, any, trait };
  struct Part {
    Kind kind;
    char letter;
  };
  bool stands_for(const Part& part, char c) const;

  std::vector<Part> parts_;
  std::vector<std::string> traits_;
  std::string beginning_, problem_;
  Slashes slashes_;
  std::size_t least_ = 0;  ///< letters that a name needs at least
  bool plain_ = true;
};

/// Files as they are named where a folder may stand for all that is in it, "steps/", and `*` goes on past slashes.
inline Pattern files_named(std::string_view text) {
  return Pattern(text.ends_with('/') ? std::string(text) + "*" : std::string(text), Pattern::Slashes::pass);
}

}  // namespace tidewater
