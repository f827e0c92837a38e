#pragma once
#include <map>
#include <string>
#include <vector>

#include "author/book/problems.hpp"
#include "author/book/tables.hpp"
#include "author/folder/clip_folder.hpp"

namespace tidewater {

/// A name that a book uses and where: it must be known in the end.
struct Mention {
  std::string name;
  FilePlace place;
};

/// Reads the sounds of one book: what each says itself, and what it takes over from the one it is like.
class SoundReader {
 public:
  /// `whole` is false where lines had to be skipped: then nothing is said of what seems to be missing.
  SoundReader(const toml::table& root, bool whole, const ClipFolder& folder, Book& book, Problems& problems);

  void read(const toml::key& key, const toml::table& own);
  /// Reads the keys of a track that it shares with sounds. The stems become layers.
  void read_track(const Keys& table, BookSound& sound);
  const std::vector<Mention>& named_groups() const { return named_groups_; }
  const std::vector<Mention>& named_scopes() const { return named_scopes_; }
  /// Names that should have had quotes.
  const std::vector<std::string>& dotted() const { return dotted_; }

 private:
  /// A sound's keys with those that it takes over, and whose each is.
  struct Whole {
    Keys keys;
    std::map<std::string, std::string, std::less<>> from;

    void erase(std::string_view key) {
      keys.erase(key);
      from.erase(std::string(key));
    }
  };

  const toml::table* sound_named(std::string_view name) const;
  static void put_over(const toml::table& own, Whole& into);
  const Whole& whole_table(std::string_view name, const toml::table& own);
  std::string advice_for(const std::string& pattern);
  void missing(FilePlace place, std::string message);
  void problem(const toml::node& node, std::string message) { problems_.add(problems_.at(node), std::move(message)); }
  void read_sound(const Keys& table, BookSound& sound);
  void read_layers(const Keys& table, BookSound& sound);
  void read_layer(const Keys& table, const std::string& what, BookLayer& layer);
  void read_loop(const Keys& table, BookLayer& layer);
  void read_clips(const Keys& table, const std::string& what, BookLayer& layer);
  void add_sketch(const toml::node& node, BookLayer& layer);
  void read_list(const toml::node& node, BookChoice& choice);
  void read_by_trait(const toml::table& table, const std::string& what, BookLayer& layer);
  void read_trait_pattern(const toml::node& node, BookLayer& layer);
  void check_weights(const toml::node& node, const BookLayer& layer, const BookChoice& choice);
  void add_matching(const std::string& pattern, const BookClip& as, const toml::node& node, BookChoice& choice);
  void read_together(const Keys& table, BookSound& sound);
  void list_settings(const Whole& whole, BookSound& sound);

  const toml::table& root_;
  bool whole_;
  const ClipFolder& folder_;
  Book& book_;
  Problems& problems_;
  std::string sketching_;                             ///< name of the sound that is being read
  std::map<std::string, Whole, std::less<>> wholes_;  ///< by the sound's name
  std::vector<Mention> named_groups_, named_scopes_;
  std::vector<std::string> dotted_;
};

}  // namespace tidewater
