#pragma once
/// What was kept of emitters, as the compact file beside a journal has it: docs/journal.md, "Places".

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "terms/whereabouts.hpp"
#include "tidewater/journal.hpp"

namespace tidewater {

/// The ending that a journal's name gets in place of its own.
inline constexpr std::string_view kept_ending = ".world";

/// FNV-1a of 64 bits, as names are hashed, over bytes that come part by part; a file has the lower 32.
class KeptSum {
 public:
  void add(std::string_view bytes) {
    for (const char c : bytes) its_ = (its_ ^ static_cast<unsigned char>(c)) * 0x100000001b3U;
  }
  std::uint64_t value() const { return its_ & 0xffffffffU; }

 private:
  std::uint64_t its_ = 0xcbf29ce484222325U;
};

/// Writes each step as what has changed since the one before it.
class KeptWriter {
 public:
  KeptWriter() { sum_.add(head()); }
  /// What the file begins with.
  static std::string head();
  std::string step(const noted::Kept& kept);

 private:
  struct Known {
    std::uint32_t generation = 0;
    Whereabouts at;
  };
  struct Gauge {
    int bits = -1;                                          ///< below the point, that its values need
    std::unordered_map<std::uint32_t, std::int64_t> known;  ///< by slot
  };
  std::string places(const noted::Kept& kept);
  std::string gauges(const noted::Kept& kept);

  std::uint64_t update_ = 0;
  KeptSum sum_;  ///< of all that is written
  int steps_ = 0;
  std::unordered_map<std::uint32_t, Known> known_;
  std::map<std::string, std::size_t> gauge_numbers_;
  std::vector<Gauge> gauges_;
};

/// All steps of such a file; one that breaks off, as after a crash, up to there. Throws Error where it is something else, or damaged.
std::vector<noted::Kept> read_kept(std::string_view bytes, const std::string& path);

}  // namespace tidewater
