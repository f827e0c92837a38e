#include "play/options.hpp"

#include <fmt/format.h>

#include <string_view>
#include <utility>

#include "base/fail.hpp"
#include "base/rates.hpp"

namespace tidewater {
namespace {

void check(std::string_view option, std::uint64_t value, std::uint64_t low, std::uint64_t high, std::string_view remark = "") {
  if (value >= low && value <= high) return;
  fail(fmt::format("ManagerOptions::{} is {}; it must be from {} to {}{}", option, value, low, high, remark));
}

std::string words_of(Hertz rate) { return fmt::format("{} Hz", rate.value); }
std::string words_of(std::uint64_t value) { return fmt::format("{}", value); }
std::string words_of(std::uint32_t value) { return fmt::format("{}", value); }
std::string words_of(bool value) { return value ? "true" : "false"; }
std::string words_of(Quality quality) { return std::string(quality_words[static_cast<std::size_t>(quality)]); }
std::string words_of(Layout layout) { return std::string(layout_words[static_cast<std::size_t>(layout)]); }

}  // namespace

ManagerOptions checked(ManagerOptions options) {
  check_rate(options.rate, "the manager");
  check("voices", options.voices, 1, most_voices);
  check("playbacks", options.playbacks, options.voices, most_playbacks, ", and there must be one for each of its voices");
  check("emitters", options.emitters, 0, most_emitters);
  if (options.journal)
    check("journal_lines", options.journal_lines, least_lines, most_lines);
  else
    options.journal_lines = 0;
  check("quality", static_cast<std::uint64_t>(options.quality), 0, quality_words.size() - 1);
  check("layout", static_cast<std::uint64_t>(options.layout), 0, layout_words.size() - 1);
  return options;
}

DecidingOptions deciding(const ManagerOptions& options) {
  DecidingOptions its;
  copy_deciding_options(its, options);
  its.offline = options.offline;
  its.clip_memory = options.clip_memory;
  return its;
}

std::string difference(const DecidingOptions& saved, const DecidingOptions& here) {
  std::string found;
  const auto compare = [&](std::string_view option, const auto& then, const auto& now) {
    if (found.empty() && !(then == now)) found = fmt::format("{}: {} when it was saved, {} here", option, words_of(then), words_of(now));
  };
  compare("rate", saved.rate, here.rate);
  compare("seed", saved.seed, here.seed);
  compare("voices", saved.voices, here.voices);
  compare("playbacks", saved.playbacks, here.playbacks);
  compare("emitters", saved.emitters, here.emitters);
  compare("quality", saved.quality, here.quality);
  compare("layout", saved.layout, here.layout);
  compare("limiter", saved.limiter, here.limiter);
  compare("offline", saved.offline, here.offline);
  compare("clip_memory", saved.clip_memory, here.clip_memory);
  return found;
}

}  // namespace tidewater
