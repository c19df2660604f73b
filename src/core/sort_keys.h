#pragma once
// Rows compare as the bits of their key do: the codes of the columns by which they are ordered, one after the
// other, as a string of bits that is cut into words of 64.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "values.h"

namespace rowanroot {

struct SortColumn {
  Type type;  // no text: those are ordered by their codes (text_codes)
  const void* values;
  bool descending = false;
  bool missing_first = false;
};

class SortKeys {
 public:
  SortKeys(const std::vector<SortColumn>& columns, std::size_t rows, int threads);

  std::size_t words() const { return (bits_ + 63) / 64; }
  std::size_t first_word_bits() const { return bits_ < 64 ? bits_ : 64; }
  std::uint64_t word(std::size_t row, std::size_t number) const;
  void first_words(std::size_t first, std::size_t last, std::uint64_t* words) const;

  // Whether there is one column, of doubles, to the values of which rows can be shared out evenly.
  const double* only_reals() const;
  bool first_is_descending() const { return columns_[0].column.descending; }

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
  void measure(Column& column, std::size_t rows, int threads);
  template <class T>
  std::uint64_t code_of(const Column& column, T value) const;
  std::uint64_t code(const Column& column, std::size_t row) const;

  std::vector<Column> columns_;
  std::size_t bits_ = 0;
};

// Texts as whole numbers in the order of their bytes, which in UTF-8 is that of their characters' numbers in
// Unicode, whatever the language; missing ones are missing. `bytes` gives a text's bytes, ended by a nought.
void text_codes(const Text* texts, std::size_t rows, Text missing_text, const char* (*bytes)(Text), std::int32_t* codes);

}  // namespace rowanroot
