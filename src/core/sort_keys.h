#pragma once
// Rows compare as the bits of their key do: the codes of the columns by which they are ordered, one after the
// other, as a string of bits that is cut into words of 64.

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <type_traits>
#include <vector>

#include "rounds.h"
#include "values.h"

namespace rowanroot {

struct SortColumn {
  Type type;  // no text: those are ordered by their codes (text_codes)
  const void* values;
  bool descending = false;
  bool missing_first = false;
};

// Unsigned numbers in the order of the values.
inline std::uint64_t sortable(std::int32_t value) { return static_cast<std::uint32_t>(value) ^ 0x80000000u; }
inline std::uint64_t sortable(std::int64_t value) {
  return static_cast<std::uint64_t>(value) ^ (std::uint64_t(1) << 63);
}
inline std::uint64_t sortable(double value) {
  value += 0.0;  // -0 is 0
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  const std::uint64_t negative = static_cast<std::uint64_t>(static_cast<std::int64_t>(bits) >> 63);
  return bits ^ (negative | (std::uint64_t(1) << 63));
}

// And back.
template <class T>
T of_sortable(std::uint64_t key) {
  if (std::is_same<T, std::int32_t>::value)
    return static_cast<T>(static_cast<std::int32_t>(static_cast<std::uint32_t>(key) ^ 0x80000000u));
  const std::uint64_t high = std::uint64_t(1) << 63;
  if (std::is_same<T, std::int64_t>::value) return static_cast<T>(key ^ high);
  const std::uint64_t bits = key & high ? key ^ high : ~key;
  double value;
  std::memcpy(&value, &bits, sizeof bits);
  return static_cast<T>(value);
}

inline bool is_missing(std::int32_t value) { return value == missing_integer; }
inline bool is_missing(std::int64_t value) { return value == missing_long_integer; }
inline bool is_missing(double value) { return value != value; }

class SortKeys {
 public:
  // Keys are as short as the values that there are allow, or, if those are not to be looked at, as long as any of the
  // type.
  SortKeys(const std::vector<SortColumn>& columns, std::size_t rows, Workers threads, bool looks_at_values = true);

  std::size_t words() const { return (bits_ + 63) / 64; }
  std::size_t first_word_bits() const { return bits_ < 64 ? bits_ : 64; }
  std::uint64_t word(std::size_t row, std::size_t number) const;
  // The first word of each row from first to last, and the first 32 bits of the second: put(row, word, more).
  template <class Put>
  void first_words(std::size_t first, std::size_t last, Put put) const {
    constexpr std::size_t most = 256;
    std::uint64_t word[most], second[most];
    const int drop = bits_ > 96 ? static_cast<int>(std::size_t(64) < bits_ - 64 ? 32 : bits_ - 96) : 0;
    for (; first < last; first += most) {
      const std::size_t count = last - first < most ? last - first : most;
      fill_words(0, first, count, word);
      if (bits_ > 64) fill_words(1, first, count, second);
      for (std::size_t i = 0; i < count; ++i)
        put(first + i, word[i], bits_ > 64 ? static_cast<std::uint32_t>(second[i] >> drop) : 0);
    }
  }
  // Whether those bits are all that there are.
  bool first_words_are_all() const { return bits_ <= 96; }

  // A column of doubles of which only few bits of other columns come before: rows can be shared out by its values. Null
  // `values` if there is none.
  struct Reals {
    const double* values = nullptr;
    std::size_t bits_before = 0;
    bool descending = false, missing_first = false;
  };
  Reals reals(std::size_t most_bits_before) const;

  std::size_t columns() const { return columns_.size(); }
  const SortColumn& column(std::size_t number) const { return columns_[number].column; }

  // For one column, least first: the value of a word.
  template <class T>
  T value(std::uint64_t word) const { return of_sortable<T>(word - columns_[0].offset + columns_[0].least); }

  // For one column: the code of what is missing, and how many rows have it.
  std::uint64_t missing_code() const { return columns_[0].missing_code; }
  std::size_t missing_rows() const { return columns_[0].missing_rows; }

 private:
  struct Column {
    SortColumn column;
    std::uint64_t least = 0, greatest = 0, offset = 0, missing_code = 0;
    std::size_t missing_rows = 0, start = 0, bits = 0;
  };
  template <class T>
  void measure(Column& column, std::size_t rows, Workers threads, bool looks_at_values);
  template <class T>
  static std::uint64_t code_of(const Column& column, T value) {
    if (is_missing(value)) return column.missing_code;
    const std::uint64_t key = sortable(value);
    return (column.column.descending ? column.greatest - key : key - column.least) + column.offset;
  }
  std::uint64_t code(const Column& column, std::size_t row) const;
  void fill_words(std::size_t number, std::size_t first, std::size_t count, std::uint64_t* words) const;

  std::vector<Column> columns_;
  std::size_t bits_ = 0;
};

// Numbers from 0 that rise in the order of the values, if all are whole and less than `most` lie between the least and
// the greatest; what is missing comes last. Gives how many numbers there are, or 0 if that can't be.
std::size_t compact_codes(const SortColumn& column, std::size_t rows, std::size_t most, std::int32_t* codes);

// Texts as whole numbers in the order of their bytes, which in UTF-8 is that of their characters' numbers in
// Unicode, whatever the language; missing ones are missing. `bytes` gives a text's bytes, ended by a nought.
void text_codes(const Text* texts, std::size_t rows, Text missing_text, const char* (*bytes)(Text), Workers threads,
                std::int32_t* codes);

}  // namespace rowanroot
