#pragma once
#include <string>
#include <vector>

#include "author/book/problems.hpp"
#include "author/book/read_sound.hpp"
#include "author/book/tables.hpp"

namespace tidewater {

/// The clip of an ending begins so long before the ending: one voice goes over into the other meanwhile.
inline constexpr Seconds before_ending{0.02};

/// Reads the tracks of one book. A track is a sound with a timing; if parts lie behind its loop, these become a second track, its ending.
class TrackReader {
 public:
  /// `whole` is false where lines had to be skipped: then nothing is said of what seems to be missing.
  TrackReader(bool whole, SoundReader& sounds, Book& book, Problems& problems);

  void read(const toml::key& key, const toml::table& own);
  /// Checks what tracks say of each other, once all are read.
  void check_names();
  /// Gives each list a clip of each of its tracks, by which one is picked.
  void fill_lists();

 private:
  /// A track that another names.
  struct Named {
    std::string by, key, name;
    FilePlace place;
  };

  void problem(const toml::node& node, std::string message) { problems_.add(problems_.at(node), std::move(message)); }
  void missing(const FilePlace& place, std::string message);
  void read_metre(const toml::table& own, TrackDesign& track);
  void read_parts(const toml::table& own, TrackDesign& track);
  void read_part(const toml::node& item, TrackDesign& track);
  void read_length(const Keys& table, std::string_view key, const TrackDesign& track, Seconds& time, std::uint32_t* bars = nullptr);
  void read_change(const Keys& table, const std::string& of, const TrackDesign& track, ChangeDesign& change);
  void read_changes(const toml::table& own, const std::string& name, TrackDesign& track);
  bool read_tracks_of_list(const toml::table& own, BookSound& sound);
  void name_track(const Keys& table, std::string_view key, const std::string& by, std::string& into);
  void set_loops(const toml::table& own, BookSound& sound);
  void add_ending(BookSound& sound);
  const BookSound* track_called(std::string_view name) const;

  bool whole_;
  SoundReader& sounds_;
  Book& book_;
  Problems& problems_;
  std::vector<Named> named_;
};

/// The keys of a track, in the order of docs/book.md.
std::vector<BookSetting> track_settings(const toml::table& own);

}  // namespace tidewater
