#include "media/bytes.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <utility>

#include "base/fail.hpp"

namespace tidewater {
namespace {

/// An open file, for all who read from it.
class OpenFile {
 public:
  static Read<std::shared_ptr<const OpenFile>> open(const std::string& path) {
    std::error_code error;
    const auto status = std::filesystem::status(path, error);
    if (!std::filesystem::exists(status)) return {std::nullopt, "there is no such file"};
    if (!std::filesystem::is_regular_file(status)) return {std::nullopt, "it is not a file"};
    auto file = std::make_shared<OpenFile>();
    file->size_ = std::filesystem::file_size(path, error);
    file->file_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file->file_ < 0) return {std::nullopt, std::string("it cannot be opened: ") + std::strerror(errno)};
    return {std::move(file), {}};
  }
  OpenFile() = default;
  ~OpenFile() {
    if (file_ >= 0) ::close(file_);
  }
  OpenFile(const OpenFile&) = delete;
  OpenFile& operator=(const OpenFile&) = delete;

  std::uint64_t size() const { return size_; }
  /// Thread: any.
  std::size_t read(std::uint64_t at, std::span<std::byte> to) const {
    std::size_t got = 0;
    while (got < to.size()) {
      const ssize_t some = ::pread(file_, to.data() + got, to.size() - got, static_cast<off_t>(at + got));
      if (some < 0 && errno == EINTR) continue;
      if (some <= 0) break;
      got += static_cast<std::size_t>(some);
    }
    return got;
  }

 private:
  int file_ = -1;
  std::uint64_t size_ = 0;
};

class FileBytes : public Bytes {
 public:
  explicit FileBytes(std::shared_ptr<const OpenFile> file) : file_(std::move(file)) {}

  std::uint64_t size() const override { return file_->size(); }
  std::size_t read(std::uint64_t at, std::span<std::byte> to) override { return file_->read(at, to); }

 private:
  std::shared_ptr<const OpenFile> file_;
};

}  // namespace

Read<std::unique_ptr<Bytes>> read_file(const std::string& path) {
  Read<std::shared_ptr<const OpenFile>> file = OpenFile::open(path);
  if (!file.value) return {std::nullopt, file.problem};
  return {std::make_unique<FileBytes>(*std::move(file.value)), {}};
}

std::unique_ptr<Bytes> open_file(const std::string& path) {
  Read<std::unique_ptr<Bytes>> file = read_file(path);
  if (!file.value) fail(file.problem);
  return *std::move(file.value);
}

Read<std::function<std::unique_ptr<Bytes>()>> read_file_for_many(const std::string& path) {
  Read<std::shared_ptr<const OpenFile>> file = OpenFile::open(path);
  if (!file.value) return {std::nullopt, file.problem};
  return {[its = *std::move(file.value)] { return std::make_unique<FileBytes>(its); }, {}};
}

}  // namespace tidewater
