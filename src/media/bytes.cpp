#include "media/bytes.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

#include "tidewater/error.hpp"

namespace tidewater {
namespace {

class FileBytes : public Bytes {
 public:
  FileBytes(int file, std::uint64_t size) : file_(file), size_(size) {}
  ~FileBytes() override { ::close(file_); }

  std::uint64_t size() const override { return size_; }
  std::size_t read(std::uint64_t at, std::span<std::byte> to) override {
    if (::lseek(file_, static_cast<off_t>(at), SEEK_SET) < 0) return 0;
    std::size_t got = 0;
    while (got < to.size()) {
      const ssize_t some = ::read(file_, to.data() + got, to.size() - got);
      if (some < 0 && errno == EINTR) continue;
      if (some <= 0) break;
      got += static_cast<std::size_t>(some);
    }
    return got;
  }

 private:
  int file_;
  std::uint64_t size_;
};

}  // namespace

std::unique_ptr<Bytes> open_file(const std::string& path) {
  std::error_code error;
  const auto status = std::filesystem::status(path, error);
  if (!std::filesystem::exists(status)) throw Error("there is no such file");
  if (!std::filesystem::is_regular_file(status)) throw Error("it is not a file");
  const std::uintmax_t size = std::filesystem::file_size(path, error);
  const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (file < 0) throw Error(std::string("it cannot be opened: ") + std::strerror(errno));
  return std::make_unique<FileBytes>(file, size);
}

}  // namespace tidewater
