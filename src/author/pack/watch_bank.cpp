#include "tidewater/author/watch_bank.hpp"

#include <sys/stat.h>

#include <chrono>
#include <tuple>
#include <utility>

#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater {
namespace {

/// What changes with a file, also where another takes its name.
using Stamp = std::tuple<std::int64_t, std::int64_t, std::int64_t, std::int64_t>;

Stamp stamp_of(const std::string& path) {
  struct stat status {};
  if (::stat(path.c_str(), &status) != 0) return {};
  return {status.st_mtim.tv_sec, status.st_mtim.tv_nsec, status.st_size, static_cast<std::int64_t>(status.st_ino)};
}

}  // namespace

struct BankWatch::State {
  SoundManager& manager;
  std::string path;
  Preload preload;
  Stamp seen{};
  std::chrono::steady_clock::time_point next{};
  std::optional<BankLoading> loading{};
  ContentHash content{};
};

BankWatch::BankWatch(SoundManager& manager, std::string path, Preload preload)
    : state_(std::make_unique<State>(State{manager, std::move(path), preload})) {
  state_->seen = stamp_of(state_->path);
  const Bank bank = open_bank(state_->path);
  manager.load(bank, preload);
  state_->content = bank.content();
}

BankWatch::~BankWatch() = default;

std::optional<std::string> BankWatch::look() {
  constexpr std::chrono::milliseconds between_looks{250};
  State& its = *state_;
  if (its.loading) {
    if (!its.loading->done()) return std::nullopt;
    const std::string problem = std::exchange(its.loading, std::nullopt)->problem();
    return problem.empty() ? its.path + ": reloaded" : its.path + ": " + problem + "; the version before it plays on";
  }
  const auto now = std::chrono::steady_clock::now();
  if (now < its.next) return std::nullopt;
  its.next = now + between_looks;
  const Stamp stamp = stamp_of(its.path);
  if (stamp == its.seen) return std::nullopt;
  its.seen = stamp;
  if (stamp == Stamp{}) return its.path + ": the file is gone; the version before it plays on";
  const Read<Bank> bank = read_bank(its.path);
  if (!bank.value) return bank.problem + "; the version before it plays on";
  if (bank.value->content() == its.content) return std::nullopt;  // packed again, and the same
  its.content = bank.value->content();
  its.loading = its.manager.reload_in_background(*bank.value, its.preload);
  return std::nullopt;
}

}  // namespace tidewater
