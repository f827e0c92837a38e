#pragma once
/// A book that is edited while a game plays it. Edits live here until they are kept in the file or given back.

#include <atomic>
#include <condition_variable>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <thread>
#include <utility>
#include <vector>

#include "author/folder/clip_folder.hpp"
#include "desk/excerpt.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/manager.hpp"

namespace tidewater::desk {

/// Result of one edit.
struct TurnOutcome {
  std::string problem;            ///< empty if it holds now
  std::vector<std::string> also;  ///< sounds that changed with it, by `like`
  bool reloads = false;           ///< it is heard after the reload that has begun
};

class TurnedBook {
 public:
  /// `changed` is called, on any thread and outside the lock, after the edits or the file have changed. `told` gets a message for people:
  /// a reload that failed, a file that is broken. Throws Error if the file cannot be read. A book with problems is read, and its problems
  /// are in `read`.
  TurnedBook(SoundManager& manager, std::string path, std::function<void()> changed, std::function<void(const std::string&)> told);
  ~TurnedBook();
  TurnedBook(const TurnedBook&) = delete;
  TurnedBook& operator=(const TurnedBook&) = delete;

  // Thread: any, for all of these.

  /// Gives a value to a key, or takes the key out. Edits of one drag count as one for `undo`; 0 is a drag of its own.
  TurnOutcome turn(const BookPath& path, const std::optional<std::string>& value, std::uint64_t drag);
  /// Returns the present text of a value, with the edits. Returns nothing for a key that the text does not have.
  std::optional<std::string> value(const BookPath& path) const;
  /// Takes the last drag back. Returns a problem if there is none.
  TurnOutcome undo();
  /// Returns edits to the book's values. All of them if no paths are given.
  TurnOutcome give_back(const std::vector<std::string>& paths);

  struct Kept {
    std::vector<std::string> problems;
    std::size_t count = 0;
  };
  /// Writes edits into the file. All of them if no paths are given. An edit that cannot be made stays turned, and its problem is returned.
  Kept keep(const std::vector<std::string>& paths);

  /// An edit that is not kept.
  struct Edit {
    BookEdit edit;
    std::uint64_t drag = 0;
  };
  std::vector<Edit> edits() const;
  /// Returns the book as it was last read, with the edits.
  ReadBook read() const;
  /// Returns a book that has one sound and the things that it depends on, with the edits or without them. Its cost does not grow with the
  /// book.
  ReadBook read_sound(const std::string& name, bool turned) const;
  /// A number that grows with each change of the file.
  std::uint64_t version() const { return version_; }
  const std::string& path() const { return path_; }
  /// The file's own problem, such as that it is gone; empty if there is none.
  std::string trouble() const;

  /// Compiles the book with what is turned, and reloads the game's banks of it. Returns at once.
  void reload();

 private:
  struct Change {
    BookPath path;
    std::optional<std::string> before;
    std::uint64_t drag = 0;
  };

  /// The folder of clips as it was last listed.
  struct Listing {
    ClipFolder folder;
    std::vector<std::pair<std::string, std::filesystem::file_time_type>> folders;  ///< it and those below it, and when they changed
  };
  void list_folder();
  bool folder_changed() const;
  EditedBook edited(std::string_view text, std::span<const BookEdit> edits) const;
  ReadBook parsed(std::string_view text) const;
  std::string excerpt(const std::vector<std::string>& sounds) const;
  static std::vector<std::string> sounds_around(const BookPath& path);
  std::string text_around(const BookPath& path) const;
  std::optional<std::string> present_value(const BookPath& path) const;
  TurnOutcome set(const BookPath& path, const std::optional<std::string>& value);
  TurnOutcome hear(const BookPath& path);
  std::string hear_group(const std::string& group, const std::string& key);
  std::string turned_text() const;
  void read_file();
  void watch();
  void compile_and_reload();

  SoundManager& manager_;
  std::string path_;
  std::function<void()> changed_;
  std::function<void(const std::string&)> told_;

  mutable std::mutex mutex_;
  std::string text_, trouble_;  ///< of the file
  std::optional<Excerpts> excerpts_;
  std::optional<Listing> listing_;
  mutable std::map<std::vector<std::string>, std::string> excerpts_turned_;  ///< by their sounds, until something changes
  mutable std::optional<ReadBook> read_;                                     ///< the whole book with what is turned, until it changes
  std::filesystem::file_time_type written_{};
  std::vector<Edit> edits_;
  std::vector<Change> history_;
  std::atomic<std::uint64_t> version_{1};

  Compiler compiler_;  ///< on the thread below alone
  std::mutex wake_mutex_;
  std::condition_variable wake_;
  bool ends_ = false, reload_wanted_ = false;
  std::thread thread_;
};

}  // namespace tidewater::desk
