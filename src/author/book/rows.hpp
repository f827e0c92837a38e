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
#include "tidewater/author/book.hpp"
#include "tidewater/design.hpp"

namespace tidewater {

/// `Into` is what the table fills.
template <class Into>
struct Row {
  BookKey says;
  /// Nothing where the key is read by code of its own: what it takes is no single value, or goes with other keys.
  std::function<void(Problems&, const Keys&, Into&)> read = {};
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
    return value(said, std::string(Written<T>::name), place, +Written<T>::read);
  }
  /// A part of one, in percent.
  template <class Place>
  RowsOf& share(const Said& said, Place place) {
    return value(said, "share", place, read_share);
  }
  /// The same, up to ten.
  template <class Place>
  RowsOf& amount(const Said& said, Place place) {
    return value(said, "percentage", place, read_amount);
  }
  /// LUFS.
  template <class Place>
  RowsOf& loudness(const Said& said, Place place) {
    return value(said, "loudness", place, read_loudness);
  }
  /// One of a few words, which stand for the values of an enumeration, or for false and true, in their order.
  template <class Place>
  RowsOf& word(const Said& said, Place place, std::span<const std::string_view> words) {
    std::string takes;
    for (std::size_t i = 0; i < words.size(); ++i)
      takes += fmt::format("{}{}", i == 0 ? "" : i + 1 == words.size() ? " or " : ", ", words[i]);
    return add(said, takes,
               [key = said.key, place, words = std::vector(words.begin(), words.end())](Problems& problems, const Keys& table, Into& into) {
                 std::string written;
                 read_word(problems, table, key, words, written);
                 const auto found = std::find(words.begin(), words.end(), written);
                 if (found != words.end()) set_to_number(std::invoke(place, into), static_cast<int>(found - words.begin()));
               });
  }
  template <class Place>
  RowsOf& truth(const Said& said, Place place) {
    return add(said, "true or false", [key = said.key, place](Problems& problems, const Keys& table, Into& into) {
      if (bool value = false; read_bool(problems, table, key, value)) std::invoke(place, into) = value;
    });
  }
  /// A whole number within bounds; `which` is said of them where it is not.
  template <class Place>
  RowsOf& whole(const Said& said, Place place, Range<Whole> bounds, std::string_view which = "") {
    const std::string takes = bounds.high.value > 1'000'000 ? "whole number" : fmt::format("{} to {}", bounds.low.value, bounds.high.value);
    return add(said, takes, [key = said.key, place, bounds, which](Problems& problems, const Keys& table, Into& into) {
      using T = std::remove_cvref_t<std::invoke_result_t<Place, Into&>>;
      if (std::int64_t value = 0; read_whole(problems, table, key, bounds, which, value)) std::invoke(place, into) = static_cast<T>(value);
    });
  }
  template <class Place>
  RowsOf& words(const Said& said, Place place, std::string_view takes = "text") {
    return add(said, std::string(takes), [key = said.key, place](Problems& problems, const Keys& table, Into& into) {
      if (const auto* written = text(problems, table, key)) std::invoke(place, into) = *written;
    });
  }
  /// Read by code of its own.
  RowsOf& special(const Said& said, std::string_view takes) { return add(said, std::string(takes), {}); }

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
  template <class Place, class T>
  RowsOf& value(const Said& said, std::string takes, Place place, Read<T> (*reader)(std::string_view)) {
    return add(said, std::move(takes), [key = said.key, place, reader](Problems& problems, const Keys& table, Into& into) {
      if (T written{}; read_quantity(problems, table, key, reader, written)) std::invoke(place, into) = written;
    });
  }
  RowsOf& add(const Said& said, std::string takes, std::function<void(Problems&, const Keys&, Into&)> read) {
    rows_.push_back({{section_, said.key, std::move(takes), said.standard, said.example, said.meaning}, std::move(read)});
    return *this;
  }

  std::string_view section_;
  std::vector<Row<Into>> rows_;
};

}  // namespace tidewater
