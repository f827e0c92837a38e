#pragma once
#include <cstdio>
#include <string>
#include <string_view>

#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// A file that takes its place whole or not at all. It is written beside it, under a name that no other run has; `commit`
/// makes sure that it is on the disk, and only then gives it the name. Given up, it leaves nothing behind.
///
/// What is there already stays as it was until then, keeps its permissions, and is followed where it is a link. Devices and
/// pipes are written to as they are.
///
/// Thread: one at a time.
class WholeFile {
 public:
  /// Throws Error where it cannot be made.
  explicit WholeFile(std::string path);
  ~WholeFile();
  WholeFile(const WholeFile&) = delete;
  WholeFile& operator=(const WholeFile&) = delete;

  /// Where it is written: for libraries that open what they write themselves.
  const std::string& unfinished() const { return unfinished_; }
  /// Adds to it. What fails is told by `commit`.
  void write(std::string_view bytes);
  /// Over its first bytes, which were written before: what is known only when the rest is.
  void write_over_beginning(std::string_view bytes);
  void flush();
  /// Throws Error, and leaves what was there, where not all of it could be written.
  void commit();
  /// The same without waiting for the disk: for what can be made again, and is looked at before it is believed.
  void commit_at_once();
  /// The Error that `commit` throws; `why` in words.
  [[noreturn]] void failed(const std::string& why);

 private:
  friend std::string try_write_whole_file(const std::string& path, std::string_view text);
  WholeFile() = default;
  std::string open(std::string path);
  void give_up();
  std::string given_up(const std::string& why);
  std::string end(bool waits);

  std::string path_;
  std::string place_;       ///< what a link leads to
  std::string unfinished_;  ///< empty when it is done
  std::FILE* file_ = nullptr;
  int trouble_ = 0;                 ///< the first error
  std::size_t not_on_its_way_ = 0;  ///< bytes that the disk was not asked to take yet
};

/// All of a text at once.
void write_whole_file(const std::string& path, std::string_view text);
/// The same by value: returns why it was not written, or an empty text.
std::string try_write_whole_file(const std::string& path, std::string_view text);

}  // namespace tidewater
