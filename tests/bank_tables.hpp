#pragma once
/// The tables of docs/bank-format.md: where each field of a record lies and how it is stored, as src/bank/fields.hpp describes it.

#include <fmt/format.h>

#include <functional>
#include <optional>
#include <string>
#include <type_traits>

#include "bank/fields.hpp"

namespace tidewater::testing {

namespace file = bank_file;

inline std::string words_of(std::span<const std::string_view> words, std::string_view further, std::size_t first) {
  std::string text = first == 0 ? "" : "0 none";
  for (std::size_t i = 0; i < words.size(); ++i) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", i + first, words[i]);
  if (!further.empty()) text += fmt::format(", {} {}", words.size() + first, further);
  return text;
}

inline std::string_view section_name(file::Kind kind) {
  constexpr std::array<std::string_view, 29> names = {"",
                                                      "texts",
                                                      "about",
                                                      "groups",
                                                      "clips",
                                                      "uses",
                                                      "values",
                                                      "choices",
                                                      "layers",
                                                      "sounds",
                                                      "responses",
                                                      "events",
                                                      "hashes",
                                                      "bases",
                                                      "marks",
                                                      "points of falloffs",
                                                      "gauges",
                                                      "follows",
                                                      "curves",
                                                      "points of curves",
                                                      "scopes",
                                                      "conditions",
                                                      "traits",
                                                      "tracks",
                                                      "parts",
                                                      "changes",
                                                      "ducks",
                                                      "moods",
                                                      "changes of moods"};
  return names[static_cast<std::size_t>(kind)];
}

template <class T>
constexpr std::string_view unit_of = "";
template <>
inline constexpr std::string_view unit_of<Decibels> = ", decibels";
template <>
inline constexpr std::string_view unit_of<Semitones> = ", semitones";
template <>
inline constexpr std::string_view unit_of<Seconds> = ", seconds";
template <>
inline constexpr std::string_view unit_of<Hertz> = ", hertz, 0 for none";
template <>
inline constexpr std::string_view unit_of<Metres> = ", metres";
template <>
inline constexpr std::string_view unit_of<Tempo> = ", beats a minute";
template <>
inline constexpr std::string_view unit_of<Degrees> = ", degrees";
template <class T>
inline constexpr std::string_view unit_of<Range<T>> = unit_of<T>;

template <class Stored>
constexpr std::string_view type_of() {
  if constexpr (std::is_same_v<Stored, file::Span>) return "range";
  if constexpr (std::is_same_v<Stored, double>) return "double";
  if constexpr (std::is_same_v<Stored, float>) return "32-bit float";
  if constexpr (std::is_same_v<Stored, std::int32_t>) return "32 bits, signed";
  if constexpr (std::is_same_v<Stored, std::uint64_t>) return "64 bits";
  if constexpr (std::is_same_v<Stored, std::int64_t>) return "64 bits, signed";
  return "32 bits";
}

/// One row for each field.
template <class Design>
std::string table_of_record() {
  std::string table = "| at | field | stored as |\n| ---: | --- | --- |\n";
  file::describe(file::Of<Design>{}, [&](std::string_view key, auto member, auto place, const auto& how, const auto&...) {
    using How = std::remove_cvref_t<decltype(how)>;
    using Record = file::RecordOf<Design>;
    using Value = std::remove_cvref_t<decltype(std::invoke(member, std::declval<Design&>()))>;
    using Stored = std::remove_cvref_t<decltype(std::invoke(place, std::declval<Record&>()))>;
    const Record record{};
    const auto at = reinterpret_cast<const char*>(&std::invoke(place, record)) - reinterpret_cast<const char*>(&record);
    std::string as;
    if constexpr (std::is_same_v<How, file::List>)
      as = fmt::format("part: {}", section_name(file::StoredAs<typename Value::value_type>::kind));
    else if constexpr (std::is_same_v<How, file::Words>)
      as = "text";
    else if constexpr (std::is_same_v<How, file::GaugeName>)
      as = "text: the name of a gauge, or distance, angle, speed or height";
    else if constexpr (std::is_same_v<How, file::Flag>)
      as = "32 bits: 1 for true";
    else if constexpr (std::is_same_v<How, file::NumberOf>)
      as = fmt::format("32 bits: a number in the {}", section_name(how.kind));
    else if constexpr (std::is_same_v<How, file::Word>)
      as = "32 bits: " + words_of(
                             how.words, how.further, requires(Value v) { v.has_value(); } ? 1 : 0);
    else if constexpr (std::is_same_v<How, file::Bits>)
      as = fmt::format("32 bits: a bit for each of {}, the lowest first", fmt::join(how.words, ", "));
    else if constexpr (std::is_same_v<How, file::Sum>)
      as = "64 bits: a hash of the sound and its clips; 0 if it is not known";
    else
      as = fmt::format("{}{}", type_of<Stored>(), unit_of<Value>);
    table += fmt::format("| {} | {} | {} |\n", at, key, as);
  });
  return table;
}

/// The document with its tables made again. A line "Record `NAME`:" comes before each.
inline std::string with_record_tables(const std::string& document) {
  std::string made = document;
  const auto put = [&](const std::string& name, const std::string& table) {
    const std::string line = "Record `" + name + "`:";
    const std::size_t at = made.find(line);
    if (at == std::string::npos) {
      made += "there is no line '" + line + "'\n";
      return;
    }
    const std::size_t begin = at + line.size();
    std::size_t end = begin;
    if (made.compare(begin, 7, "\n\n| at ") == 0) end = made.find("\n\n", begin + 2);
    made.replace(begin, end - begin, "\n\n" + table.substr(0, table.size() - 1));
  };
  put("group", table_of_record<BankGroup>());
  put("duck", table_of_record<DuckDesign>());
  put("mood", table_of_record<BankMood>());
  put("change of a mood", table_of_record<MoodGroupDesign>());
  put("scope", table_of_record<BankScope>());
  put("gauge", table_of_record<BankGauge>());
  put("sound", table_of_record<BankSound>());
  put("layer", table_of_record<BankLayer>());
  put("choice", table_of_record<BankChoice>());
  put("use", table_of_record<BankClipUse>());
  put("value", table_of_record<HashedText>());
  put("point of a falloff", table_of_record<FalloffPoint>());
  put("follow", table_of_record<FollowDesign>());
  put("curve", table_of_record<CurveDesign>());
  put("point of a curve", table_of_record<CurvePoint>());
  put("event", table_of_record<BankEvent>());
  put("response", table_of_record<BankResponse>());
  put("trait", table_of_record<BankTrait>());
  put("condition", table_of_record<BankCondition>());
  put("track", table_of_record<BankTrack>());
  put("part of a track", table_of_record<PartDesign>());
  put("change", table_of_record<ChangeDesign>());
  return made;
}

}  // namespace tidewater::testing
