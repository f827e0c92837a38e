#include "tidewater/author/balance.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "base/text_file.hpp"
#include "base/whole_file.hpp"
#include "columns.hpp"
#include "commands.hpp"
#include "print.hpp"
#include "progress.hpp"
#include "session_banks.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/error.hpp"

namespace tidewater::tool {
namespace {

std::string lufs_text(Decibels its, std::string_view unit = "LUFS") {
  return its == silence ? "too quiet" : fmt::format("{:.1f} {}", its.value, unit);
}

std::string length_text(Seconds its) {
  return its.value < 100 ? fmt::format("{:.1f} s", its.value)
                         : fmt::format("{:.0f} min {:02.0f} s", std::floor(its.value / 60), std::fmod(its.value, 60));
}

void say_whole(const Balance& balance, const BalanceCall& call) {
  say("whole mix, {} of {} session{}\n  loudness   {}, range {:.1f} LU, true peak {}\n", length_text(balance.length), call.journals.size(),
      call.journals.size() == 1 ? "" : "s", lufs_text(balance.integrated), balance.range, lufs_text(balance.true_peak, "dBTP"));
  if (!call.target || balance.integrated == silence) return;
  const double away = balance.integrated.value - call.target->value;
  say("  target     {:g} LUFS: {}\n", call.target->value,
      std::abs(away) <= 0.5 ? std::string("met, within 0.5 LU")
                            : fmt::format("the mix is {:.1f} LU {} it; a master gain {:.1f} dB {} would meet it", std::abs(away),
                                          away > 0 ? "above" : "below", std::abs(away), away > 0 ? "lower" : "higher"));
}

void say_rows(const Balance& balance) {
  Table groups({"group", "below", ">heard", ">loudness", ">loudest 3 s"});
  for (const BalanceRow& row : balance.groups)
    groups.row(
        {row.name, row.group.empty() ? "-" : row.group, length_text(row.heard), lufs_text(row.integrated), lufs_text(row.short_term)});
  say("\n{}", groups.text());
  Table sounds({"sound", "group", ">playbacks", ">heard", ">loudness", ">loudest 3 s", ">from group", ""});
  for (const BalanceRow& row : balance.sounds)
    sounds.row({row.name, row.group, fmt::format("{}", row.playbacks), length_text(row.heard), lufs_text(row.integrated),
                lufs_text(row.short_term), row.integrated == silence ? "" : fmt::format("{:+.1f} LU", row.from_group),
                row.stands_out ? fmt::format("stands out: gain {:+.1f} dB", row.turn) : ""});
  say("\n{}", sounds.text());
  say("  Each as heard below the master, over its own time (EBU R 128). \"From group\" compares a sound with all of its group.\n");
}

void say_speech(const Balance& balance, const BalanceCall& call) {
  if (balance.speech_group.empty() || balance.speech == Seconds{}) {
    say("\nspeech: no group '{}' was heard, so nothing is said of what covers speech; name the group with --speech\n", call.speech);
    return;
  }
  say("\nspeech: '{}' spoke for {}, and its mean index is {:.2f} (0 nothing is understood, 1 all)\n", balance.speech_group,
      length_text(balance.speech), balance.index);
  if (balance.covered.empty()) {
    say("  no second of it is covered (an index below 0.45)\n");
    return;
  }
  say("  covered (below 0.45) in {:.0f} of these seconds:\n", balance.covered_for.value);
  constexpr std::size_t most = 20;
  Table table({"  when", ">index", "mostly by"});
  for (std::size_t i = 0; i < std::min(balance.covered.size(), call.all ? balance.covered.size() : most); ++i) {
    const CoveredSpeech& its = balance.covered[i];
    const std::string session =
        call.journals.size() > 1 ? std::filesystem::path(call.journals[its.session]).filename().string() + " " : std::string();
    table.row({fmt::format("  {}{:.0f} .. {:.0f} s", session, its.from.value, its.from.value + its.length.value),
               fmt::format("{:.2f}", its.index), its.by.empty() ? "many sounds together" : fmt::format("{}", fmt::join(its.by, ", "))});
  }
  say("{}", table.text());
  if (!call.all && balance.covered.size() > most) say("  and {} more; --all\n", balance.covered.size() - most);
}

nlohmann::ordered_json json_of(const BalanceRow& row, bool sound) {
  const auto number = [](Decibels its) { return its == silence ? nlohmann::ordered_json(nullptr) : nlohmann::ordered_json(its.value); };
  nlohmann::ordered_json its = {{"name", row.name},
                                {"group", row.group},
                                {"heard-seconds", row.heard.value},
                                {"integrated-lufs", number(row.integrated)},
                                {"loudest-short-term-lufs", number(row.short_term)}};
  if (!sound) return its;
  its["playbacks"] = row.playbacks;
  its["from-group-lu"] = row.from_group;
  its["stands-out"] = row.stands_out;
  its["turn-db"] = row.turn;
  return its;
}

std::string balance_json(const Balance& balance) {
  nlohmann::ordered_json json = {
      {"length-seconds", balance.length.value},
      {"integrated-lufs",
       balance.integrated == silence ? nlohmann::ordered_json(nullptr) : nlohmann::ordered_json(balance.integrated.value)},
      {"range-lu", balance.range},
      {"true-peak-dbtp", balance.true_peak == silence ? nlohmann::ordered_json(nullptr) : nlohmann::ordered_json(balance.true_peak.value)},
      {"groups", nlohmann::ordered_json::array()},
      {"sounds", nlohmann::ordered_json::array()},
      {"speech",
       {{"group", balance.speech_group},
        {"seconds", balance.speech.value},
        {"index", balance.index},
        {"covered-seconds", balance.covered_for.value},
        {"covered", nlohmann::ordered_json::array()}}}};
  for (const BalanceRow& row : balance.groups) json["groups"].push_back(json_of(row, false));
  for (const BalanceRow& row : balance.sounds) json["sounds"].push_back(json_of(row, true));
  for (const CoveredSpeech& its : balance.covered)
    json["speech"]["covered"].push_back({{"session", its.session},
                                         {"from-seconds", its.from.value},
                                         {"length-seconds", its.length.value},
                                         {"index", its.index},
                                         {"by", its.by}});
  return json.dump(2) + "\n";
}

/// Moves the gains of the sounds that stand out, in the text of the book.
int apply_gains(const Balance& balance, const std::string& path) {
  const std::string text = read_text_file(path, "a book");
  const ReadBook read = parse_book(text, path);
  std::vector<BookEdit> edits;
  for (const BalanceRow& row : balance.sounds) {
    if (!row.stands_out) continue;
    const auto sound =
        std::find_if(read.book.sounds.begin(), read.book.sounds.end(), [&](const BookSound& its) { return its.name == row.name; });
    if (sound != read.book.sounds.end()) edits.push_back(gain_moved(text, *sound, Decibels{row.turn}));
  }
  const EditedBook edited = edit_book(text, path, edits);
  std::size_t changed = 0;
  for (std::size_t i = 0; i < edits.size(); ++i) {
    const EditOutcome& its = edited.outcomes[i];
    if (!its.problem.empty()) {
      complain("{}\n", its.problem);
      continue;
    }
    ++changed;
    say("  {}:{}: {}: {} -> {}{}\n", path, its.line, to_text(edits[i].path), its.before.value_or("none"), *edits[i].value,
        its.also.empty() ? "" : fmt::format("; also {}, by like", fmt::join(its.also, ", ")));
  }
  if (changed > 0) write_whole_file(path, edited.text);
  say("{} gain{} changed in {}; nothing else of it\n", changed, changed == 1 ? "" : "s", path);
  return changed < edits.size() ? bad_input : fine;
}

}  // namespace

int balance(const BalanceCall& call) {
  std::vector<JournalScript> sessions;
  for (const std::string& journal : call.journals) sessions.push_back(read_journal(journal));
  if (call.apply && !call.book.ends_with(".toml"))
    throw Error(fmt::format("{}: --apply changes a book, and this is none; name the book, a TOML file", call.book));
  const std::vector<Bank> banks = banks_of(call.book, sessions);
  const auto began = std::chrono::steady_clock::now();
  Balance balance;
  Progress progress("rendering");
  balance = balance_of(banks, sessions, {.speech = call.speech, .as_played = call.as_played, .progress = in_seconds(progress)});
  progress.clear();
  if (call.json) {
    std::fputs(balance_json(balance).c_str(), stdout);
    return call.apply ? apply_gains(balance, call.book) : fine;
  }
  const std::chrono::duration<double> took = std::chrono::steady_clock::now() - began;
  say_whole(balance, call);
  say_rows(balance);
  say_speech(balance, call);
  say("\n{:.1f} s of sound in {:.2f} s, {:.0f} times as fast as real time\n", balance.length.value, took.count(),
      balance.length.value / took.count());
  const auto out = std::count_if(balance.sounds.begin(), balance.sounds.end(), [](const BalanceRow& row) { return row.stands_out; });
  if (call.apply) return apply_gains(balance, call.book);
  if (out > 0)
    say("{} sound{} out; --apply changes {} in the book\n", out, out == 1 ? " stands" : "s stand", out == 1 ? "its gain" : "their gains");
  return fine;
}

}  // namespace tidewater::tool
