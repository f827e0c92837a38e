#include "base/whole_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstring>
#include <filesystem>

#include "base/fail.hpp"

namespace tidewater {
namespace {

namespace fs = std::filesystem;

/// Makes a new file beside another, with permissions like its own; its name, or empty with errno.
std::string make_beside(const std::string& place) {
  static std::atomic<unsigned> number{0};
  struct stat old {};
  const bool known = stat(place.c_str(), &old) == 0;
  for (int tries = 0; tries < 100; ++tries) {
    std::string name = fmt::format("{}.{}-{}.part", place, getpid(), number++);
    const int file = open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
    if (file < 0 && errno == EEXIST) continue;
    if (file < 0) return {};
    if (known) (void)!fchmod(file, old.st_mode & 07777U);
    close(file);
    return name;
  }
  return {};
}

/// Removes files that a killed run left beside this one: "NAME.PID-0.part", where process PID no longer exists.
void sweep_beside(const std::string& place) {
  const fs::path its(place);
  const std::string begins = its.filename().string() + ".";
  std::error_code error;
  for (fs::directory_iterator at(its.has_parent_path() ? its.parent_path() : fs::path("."), error), end; !error && at != end;
       at.increment(error)) {
    const std::string name = at->path().filename().string();
    if (!name.starts_with(begins) || !name.ends_with(".part")) continue;
    const std::string number = name.substr(begins.size(), name.find('-', begins.size()) - begins.size());
    if (number.empty() || number.size() > 9 || number.find_first_not_of("0123456789") != std::string::npos) continue;
    const auto owner = static_cast<pid_t>(std::stol(number));
    if (owner != getpid() && kill(owner, 0) != 0 && errno == ESRCH) fs::remove(at->path(), error);
  }
}

/// Onto the disk; zero, or the error.
int sync(const std::string& path, int flags) {
  const int file = open(path.c_str(), flags | O_CLOEXEC);
  if (file < 0) return errno;
  const int trouble = fsync(file) == 0 || errno == EINVAL ? 0 : errno;
  close(file);
  return trouble;
}

bool written_in_place(const std::string& place) {
  std::error_code error;
  const auto status = fs::status(place, error);
  return fs::exists(status) && !fs::is_regular_file(status) && !fs::is_directory(status);
}

}  // namespace

WholeFile::WholeFile(std::string path) {
  if (const std::string why = open(std::move(path)); !why.empty()) fail(why);
}

std::string WholeFile::open(std::string path) {
  path_ = place_ = std::move(path);
  std::error_code error;
  if (fs::is_symlink(place_, error)) {
    const auto leads_to = fs::weakly_canonical(place_, error);
    if (!error) place_ = leads_to.string();
  }
  if (fs::is_directory(place_, error)) return fmt::format("{}: is a folder; name a file in it", path_);
  errno = 0;
  unfinished_ = written_in_place(place_) ? place_ : make_beside(place_);
  if (unfinished_ != place_ && !unfinished_.empty()) sweep_beside(place_);
  if (unfinished_.empty())
    return fmt::format("{}: cannot be written ({}); is there such a folder, and may you write to it?", path_, std::strerror(errno));
  return {};
}

WholeFile::~WholeFile() { give_up(); }

void WholeFile::give_up() {
  if (file_ != nullptr) std::fclose(file_);
  file_ = nullptr;
  if (!unfinished_.empty() && unfinished_ != place_) std::remove(unfinished_.c_str());
  unfinished_.clear();
}

void WholeFile::write(std::string_view bytes) {
  if (file_ == nullptr && trouble_ == 0) {
    file_ = std::fopen(unfinished_.c_str(), "wb");
    if (file_ == nullptr) trouble_ = errno;
  }
  if (trouble_ == 0 && std::fwrite(bytes.data(), 1, bytes.size(), file_) != bytes.size()) trouble_ = errno;
  // What is large goes to the disk while the rest is made: `commit` waits for it.
  constexpr std::size_t at_once = std::size_t{8} << 20;
  not_on_its_way_ += bytes.size();
  if (not_on_its_way_ < at_once || file_ == nullptr) return;
  not_on_its_way_ = 0;
#ifdef SYNC_FILE_RANGE_WRITE
  sync_file_range(fileno(file_), 0, 0, SYNC_FILE_RANGE_WRITE);
#endif
}

void WholeFile::write_over_beginning(std::string_view bytes) {
  if (file_ == nullptr || trouble_ != 0) return write(bytes);
  if (std::fseek(file_, 0, SEEK_SET) != 0) trouble_ = errno;
  write(bytes);
}

void WholeFile::flush() {
  if (file_ != nullptr && std::fflush(file_) != 0 && trouble_ == 0) trouble_ = errno;
}

std::string WholeFile::given_up(const std::string& why) {
  give_up();
  return fmt::format("{}: could not be written to the end ({}); is the disk full? What was there before is left as it was", path_, why);
}

void WholeFile::failed(const std::string& why) { fail(given_up(why)); }

void WholeFile::commit() {
  if (const std::string why = end(true); !why.empty()) fail(why);
}
void WholeFile::commit_at_once() {
  if (const std::string why = end(false); !why.empty()) fail(why);
}

std::string WholeFile::end(bool waits) {
  if (unfinished_.empty()) return {};
  flush();
  if (file_ != nullptr && std::fclose(file_) != 0 && trouble_ == 0) trouble_ = errno;
  file_ = nullptr;
  if (trouble_ == 0 && unfinished_ != place_) {
    if (waits) trouble_ = sync(unfinished_, O_RDONLY);
    if (trouble_ == 0 && std::rename(unfinished_.c_str(), place_.c_str()) != 0) trouble_ = errno;
    if (trouble_ == 0) {
      unfinished_.clear();
      const auto folder = fs::path(place_).parent_path();
      if (waits)
        sync(folder.empty() ? "." : folder.string(), O_RDONLY | O_DIRECTORY);  // a name that a power cut may take back is no loss of data
    }
  }
  if (trouble_ != 0) return given_up(std::strerror(trouble_));
  unfinished_.clear();
  return {};
}

std::string try_write_whole_file(const std::string& path, std::string_view text) {
  WholeFile file;
  if (std::string why = file.open(path); !why.empty()) return why;
  file.write(text);
  return file.end(true);
}

void write_whole_file(const std::string& path, std::string_view text) {
  WholeFile file(path);
  file.write(text);
  file.commit();
}

}  // namespace tidewater
