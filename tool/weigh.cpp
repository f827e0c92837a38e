#include "tidewater/author/weigh.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>
#include <vector>

#include "base/text_file.hpp"
#include "columns.hpp"
#include "commands.hpp"
#include "names.hpp"
#include "print.hpp"
#include "rendering.hpp"
#include "sizes.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/unpack.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"
#include "tidewater/picture/treemap.hpp"

namespace tidewater::tool {
namespace {

Bank bank_of(const std::string& path) { return path.ends_with(".tidebank") ? open_bank_with_names(path) : compile_book(path); }

/// A bank, or of a book what it gives now for the same target and language.
Bank version_of(const std::string& path, const Bank& other) {
  if (path.ends_with(".tidebank")) return open_bank_with_names(path);
  const ReadBook read = read_book(path);
  if (!read.problems.empty()) throw Error(to_text(read.problems.front()));
  std::vector<Bank> banks = compile_banks(read.book, {other.rate(), std::string(other.target()), std::string(other.language())});
  const auto its = std::find_if(banks.begin(), banks.end(), [&](const Bank& bank) { return bank.name() == other.name(); });
  if (its == banks.end()) throw Error(fmt::format("{}: it has no bank '{}' to weigh against that one", path, other.name()));
  return *its;
}

std::string table_of(const char* what, const std::vector<Weight>& weights, std::uint64_t all) {
  Table table({what, ">size", ">share", ">clips", ">length", ">ratio", "as"});
  for (const Weight& its : weights)
    table.row({its.name, size_text(its.bytes),
               fmt::format("{:.1f} %", 100.0 * static_cast<double>(its.bytes) / static_cast<double>(std::max<std::uint64_t>(all, 1))),
               fmt::format("{}", its.clips), fmt::format("{:.1f} s", its.length.value), fmt::format("{:.2f}", its.ratio), its.how});
  return table.text();
}

/// Clips that a journal says were played.
std::set<std::string> played_in(const WeighCall& call) {
  std::vector<std::string> files = call.names;
  // The names of a bank that was packed without names are in a file beside it.
  std::error_code error;
  const auto beside = std::filesystem::path(call.bank).replace_extension(".names").string();
  if (files.empty() && call.bank.ends_with(".tidebank") && std::filesystem::exists(beside, error)) files.push_back(beside);
  const StrippedNames names(files);
  std::set<std::string> played;
  for (const std::string& journal : call.journals) {
    std::istringstream in(read_text_file(journal, "a journal"));
    for (std::string text; std::getline(in, text);) {
      const auto line = nlohmann::json::parse(names.put_into(text), nullptr, false);
      // A clip that was read, or made room, was not heard for that.
      if (line.is_object() && !line.contains("request") && line.contains("clip") && line["clip"].is_string()) played.insert(line["clip"]);
    }
  }
  return played;
}

void advise_on_unplayed(Weights& weights, const WeighCall& call) {
  const auto& journals = call.journals;
  const std::set<std::string> played = played_in(call);
  for (const Weight& clip : weights.clips)
    if (!played.contains(clip.name))
      weights.advice.push_back({clip.name, clip.bytes,
                                fmt::format("no session in {} played it",
                                            journals.size() == 1 ? "this journal" : fmt::format("these {} journals", journals.size()))});
  std::stable_sort(weights.advice.begin(), weights.advice.end(), [](const auto& a, const auto& b) { return a.bytes > b.bytes; });
}

void draw(const WeighCall& call, const Weights& weights) {
  std::set<std::string> marked;
  for (const WeightAdvice& advice : weights.advice) marked.insert(advice.clip);
  std::vector<TreemapItem> items;
  for (const Weight& clip : weights.clips)
    items.push_back(
        {clip.group.empty() ? "(no sound)" : clip.group, clip.sound, clip.name, clip.bytes, clip.streams, marked.contains(clip.name)});
  std::string remark = "Area is room in the bank; the figures of groups and sounds are sums.";
  if (std::any_of(items.begin(), items.end(), [](const auto& item) { return item.streams; })) remark += " Stripes: it streams.";
  if (std::any_of(items.begin(), items.end(), [](const auto& item) { return item.sound == "(several)"; }))
    remark += " (several): more than one sound plays it.";
  if (!marked.empty()) remark += " Red frames: weigh has advice on it.";
  Rendering::make_folder_of(call.picture);
  draw_treemap(items, call.picture, fmt::format("{}: {}", std::filesystem::path(call.bank).filename().string(), size_text(weights.bytes)),
               remark);
  say("\n  picture    {}\n", call.picture);
}

int weigh_against(const WeighCall& call) {
  const Bank other = bank_of(call.against), bank = version_of(call.bank, other);
  const UpdateCost cost = weigh_update(other, bank);
  if (cost.changes.empty()) {
    say("{}: all {} of its clips are those of {}; an update costs what its table has\n", call.bank, size_text(cost.kept), call.against);
    return fine;
  }
  Table table({"clip", ">before", ">now", ""});
  for (const WeightChange& change : cost.changes)
    table.row({change.clip, change.before == 0 ? "-" : size_text(change.before), change.now == 0 ? "-" : size_text(change.now),
               change.before == 0 ? "new"
               : change.now == 0  ? "gone"
                                  : "changed"});
  say("{}, against {}\n\n{}\n", call.bank, call.against, table.text());
  say("  update     {} of clips are new or changed, {} stay, {} are gone\n", size_text(cost.fresh), size_text(cost.kept),
      size_text(cost.gone));
  if (call.against.ends_with(".tidebank"))
    say("  next       tidewater pack BOOK --patch-of {} ships {} in place of {}\n", call.against, size_text(cost.fresh),
        size_text(cost.fresh + cost.kept));
  return fine;
}

}  // namespace

int weigh(const WeighCall& call) {
  if (call.has_against) return weigh_against(call);
  const Bank bank = bank_of(call.bank);
  Weights weights = tidewater::weigh(bank);
  if (!call.journals.empty()) advise_on_unplayed(weights, call);
  say("{}: {} of clips; ratio 1 is 16 bits at {:.0f} Hz\n\n", call.bank, size_text(weights.bytes), bank.rate().value);
  say("{}\n{}", table_of("group", weights.groups, weights.bytes), table_of("sound", weights.sounds, weights.bytes));
  if (call.clips) say("\n{}", table_of("clip", weights.clips, weights.bytes));
  if (!weights.advice.empty()) say("\n");
  for (const WeightAdvice& advice : weights.advice) say("  could save {:>10}  {}: {}\n", size_text(advice.bytes), advice.clip, advice.text);
  if (!call.picture.empty()) draw(call, weights);
  return fine;
}

}  // namespace tidewater::tool
