#pragma once
/// A row of a table of keys: what a key is called, takes and means, and the member that it fills. Books are read, checked, shown and
/// documented by these.
///
///     .quantity({"fade-in", "\"0 s\"", "\"400 ms\"", "How long it takes to reach its level."}, &BookSound::fade_in)

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <vector>

#include "author/book/tables.hpp"
#include "base/text.hpp"
#include "tidewater/author/book.hpp"
#include "tidewater/design.hpp"

namespace tidewater {

/// `Into` is what the table fills.
template <class Into>
struct Row {
  BookKey says;
  /// None if the key has code of its own: what it takes is no single value, or goes with other keys.
  std::function<void(Problems&, const Keys&, Into&)> read = {};
  /// The value as a book writes it; empty if it is what holds without the key. None if `read` is none.
  std::function<std::string(const Into&)> write = {};
};

/// What a row says of its key, but for what it takes and its table.
struct Said {
  std::string_view key, standard, example, meaning;
};

// How a quantity is read, and what it is called, by its type.

template <class T>
struct Written;
template <>
struct Written<Decibels> {
  static constexpr auto read = read_decibels;
  static constexpr auto read_range = read_decibel_range;
  static constexpr std::string_view name = "level";
};
template <>
struct Written<Semitones> {
  static constexpr auto read = read_semitones;
  static constexpr auto read_range = read_semitone_range;
  static constexpr std::string_view name = "pitch";
};
template <>
struct Written<Pan> {
  static constexpr auto read = read_pan;
  static constexpr auto read_range = read_pan_range;
  static constexpr std::string_view name = "place";
};
template <>
struct Written<Metres> {
  static constexpr auto read = read_metres;
  static constexpr std::string_view name = "length";
};
template <>
struct Written<Seconds> {
  static constexpr auto read = read_seconds;
  static constexpr auto read_range = read_second_range;
  static constexpr std::string_view name = "time";
};
template <>
struct Written<Tempo> {
  static constexpr auto read = read_tempo;
  static constexpr std::string_view name = "tempo";
};
template <>
struct Written<Hertz> {
  static constexpr auto read = read_hertz;
  static constexpr auto read_range = read_hertz_range;
  static constexpr std::string_view name = "frequency";
};
template <class T>
struct Written<Range<T>> {
  static constexpr auto read = Written<T>::read_range;
  static inline const std::string name = std::string(Written<T>::name) + " or range";
};

template <class T>
struct Written<std::optional<T>> : Written<T> {};

// How a value is written, with its quotes.

template <class Quantity>
std::string written(const Quantity& value) {
  return in_basic_quotes(to_text(value));
}
template <class Quantity>
std::string written(const Range<Quantity>& range) {
  return in_basic_quotes(range.low == range.high ? to_text(range.low) : to_text(range.low) + " .. " + to_text(range.high));
}
template <class T>
std::string written(const std::optional<T>& value) {
  return value ? written(*value) : "";
}

// The kinds of rows. `place` is the member that the key fills, or a function that gives it.

/// The rows of a table; `section` is where its keys stand.
template <class Into>
class RowsOf {
 public:
  explicit RowsOf(std::string_view section) : section_(section) {}

  /// A quantity or a range of them.
  template <class Place>
  RowsOf& quantity(const Said& said, Place place) {
    using T = std::remove_cvref_t<std::invoke_result_t<Place, Into&>>;
    return value(said, std::string(Written<T>::name), place, +Written<T>::read, [](const T& its) { return written(its); });
  }
  /// A part of one, in percent.
  template <class Place>
  RowsOf& share(const Said& said, Place place) {
    return value(said, "share", place, read_share, percent<Place>());
  }
  /// The same, up to ten.
  template <class Place>
  RowsOf& amount(const Said& said, Place place) {
    return value(said, "percentage", place, read_amount, percent<Place>());
  }
  /// LUFS.
  template <class Place>
  RowsOf& loudness(const Said& said, Place place) {
    using T = std::remove_cvref_t<std::invoke_result_t<Place, Into&>>;
    return value(said, "loudness", place, read_loudness,
                 [](const T& its) { return its ? in_basic_quotes(fmt::format("{:g} LUFS", its->value)) : ""; });
  }
  /// One of a few words, which stand for the values of an enumeration, or for false and true, in their order.
  template <class Place>
  RowsOf& word(const Said& said, Place place, std::span<const std::string_view> words) {
    std::string takes;
    for (std::size_t i = 0; i < words.size(); ++i)
      takes += fmt::format("{}{}", i == 0 ? "" : i + 1 == words.size() ? " or " : ", ", words[i]);
    return add(
        said, takes,
        [key = said.key, place, words = std::vector(words.begin(), words.end())](Problems& problems, const Keys& table, Into& into) {
          std::string written;
          read_word(problems, table, key, words, written);
          const auto found = std::find(words.begin(), words.end(), written);
          if (found != words.end()) set_to_number(std::invoke(place, into), static_cast<int>(found - words.begin()));
        },
        unless_standard(place, [words = std::vector(words.begin(), words.end())](const auto& its) {
          const auto number = number_of(its);
          return number < words.size() ? in_basic_quotes(words[number]) : std::string();
        }));
  }
  template <class Place>
  RowsOf& truth(const Said& said, Place place) {
    return add(
        said, "true or false",
        [key = said.key, place](Problems& problems, const Keys& table, Into& into) {
          if (bool value = false; read_bool(problems, table, key, value)) std::invoke(place, into) = value;
        },
        unless_standard(place, [](const auto& its) { return std::string(number_of(its) == 1 ? "true" : "false"); }));
  }
  /// A whole number within bounds; `which` is said of them where it is not.
  template <class Place>
  RowsOf& whole(const Said& said, Place place, Range<Whole> bounds, std::string_view which = "") {
    const std::string takes = bounds.high.value > 1'000'000 ? "whole number" : fmt::format("{} to {}", bounds.low.value, bounds.high.value);
    return add(
        said, takes,
        [key = said.key, place, bounds, which](Problems& problems, const Keys& table, Into& into) {
          using T = std::remove_cvref_t<std::invoke_result_t<Place, Into&>>;
          if (std::int64_t value = 0; read_whole(problems, table, key, bounds, which, value))
            std::invoke(place, into) = static_cast<T>(value);
        },
        unless_standard(place, [](const auto& its) { return fmt::format("{}", its); }));
  }
  template <class Place>
  RowsOf& words(const Said& said, Place place, std::string_view takes = "text") {
    return add(
        said, std::string(takes),
        [key = said.key, place](Problems& problems, const Keys& table, Into& into) {
          if (const auto* written = text(problems, table, key)) std::invoke(place, into) = *written;
        },
        unless_standard(place, [](const auto& its) { return in_basic_quotes(its); }));
  }
  /// Read by code of its own.
  RowsOf& special(const Said& said, std::string_view takes) { return add(said, std::string(takes), {}, {}); }

  const std::vector<Row<Into>>& rows() const { return rows_; }
  void read(Problems& problems, const Keys& table, Into& into) const {
    for (const auto& row : rows_)
      if (row.read) row.read(problems, table, into);
  }

 private:
  template <class T>
  static void set_to_number(T& into, int number) {
    into = static_cast<T>(number);
  }
  template <class T>
  static void set_to_number(std::optional<T>& into, int number) {
    into = static_cast<T>(number);
  }
  template <class T>
  static std::size_t number_of(const T& its) {
    return static_cast<std::size_t>(its);
  }
  template <class T>
  static std::size_t number_of(const std::optional<T>& its) {
    return static_cast<std::size_t>(*its);
  }
  template <class Place>
  static auto percent() {
    using T = std::remove_cvref_t<std::invoke_result_t<Place, Into&>>;
    return [](const T& its) {
      if constexpr (std::is_same_v<T, double>)
        return in_basic_quotes(hundredfold(its) + " %");
      else
        return in_basic_quotes(hundredfold(*its) + " %");
    };
  }
  /// Returns the text that `write` gives for the value, or an empty text if the value is the default.
  template <class Place, class Write>
  static std::function<std::string(const Into&)> unless_standard(Place place, Write write) {
    return [place, write](const Into& into) -> std::string {
      Into its = into, standard{};  // a place takes what it may change
      const auto& value = std::invoke(place, its);
      return value == std::invoke(place, standard) ? std::string() : write(value);
    };
  }
  template <class Place, class T, class Write>
  RowsOf& value(const Said& said, std::string takes, Place place, Read<T> (*reader)(std::string_view), Write write) {
    return add(
        said, std::move(takes),
        [key = said.key, place, reader](Problems& problems, const Keys& table, Into& into) {
          if (T written{}; read_quantity(problems, table, key, reader, written)) std::invoke(place, into) = written;
        },
        unless_standard(place, write));
  }
  RowsOf& add(const Said& said, std::string takes, std::function<void(Problems&, const Keys&, Into&)> read,
              std::function<std::string(const Into&)> write) {
    rows_.push_back({{section_, said.key, std::move(takes), said.standard, said.example, said.meaning}, std::move(read), std::move(write)});
    return *this;
  }

  std::string_view section_;
  std::vector<Row<Into>> rows_;
};

}  // namespace tidewater
