#include "fast.h"

#include "sort_keys.h"

#include <algorithm>
#include <cstring>
#include <numeric>

#include "groups.h"
#include "rounds.h"

namespace rowanroot {
namespace {

// Unsigned numbers in the order of the values.
std::uint64_t sortable(std::int32_t value) { return static_cast<std::uint32_t>(value) ^ 0x80000000u; }
std::uint64_t sortable(std::int64_t value) { return static_cast<std::uint64_t>(value) ^ (std::uint64_t(1) << 63); }
std::uint64_t sortable(double value) {
  value += 0.0;  // -0 is 0
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  const std::uint64_t negative = static_cast<std::uint64_t>(static_cast<std::int64_t>(bits) >> 63);
  return bits ^ (negative | (std::uint64_t(1) << 63));
}

bool is_missing(std::int32_t value) { return value == missing_integer; }
bool is_missing(std::int64_t value) { return value == missing_long_integer; }
bool is_missing(double value) { return value != value; }

std::size_t bit_width(std::uint64_t value) { return value ? 64 - static_cast<std::size_t>(__builtin_clzll(value)) : 0; }

struct Range {
  std::uint64_t least = ~std::uint64_t(0), greatest = 0;
  std::size_t missing = 0;
};

template <class T>
ROWANROOT_WIDE void range_of(const T* values, std::size_t rows, Range* range) {
  std::uint64_t least = range->least, greatest = range->greatest;
  std::size_t missing = 0;
  for (std::size_t i = 0; i < rows; ++i) {
    const bool unknown = is_missing(values[i]);
    const std::uint64_t key = sortable(values[i]);
    least = !unknown && key < least ? key : least;
    greatest = !unknown && key > greatest ? key : greatest;
    missing += unknown;
  }
  *range = {least, greatest, missing};
}

}  // namespace

template <class T>
void SortKeys::measure(Column& column, std::size_t rows, int threads) {
  const T* values = static_cast<const T*>(column.column.values);
  constexpr std::size_t piece = 1 << 16;
  std::vector<Range> ranges((rows + piece - 1) / piece);
  run_pieces(ranges.size(), threads, [&](int, std::size_t k) { range_of(values + k * piece, std::min(piece, rows - k * piece), &ranges[k]); });
  Range all;
  for (const Range& range : ranges) {
    all.least = std::min(all.least, range.least);
    all.greatest = std::max(all.greatest, range.greatest);
    all.missing += range.missing;
  }
  if (all.missing == rows) all.least = all.greatest = 0;
  column.least = all.least;
  column.greatest = all.greatest;
  column.missing_rows = all.missing;
  const std::uint64_t span = all.greatest - all.least;
  column.offset = all.missing && column.column.missing_first ? 1 : 0;
  column.missing_code = column.column.missing_first ? 0 : span + 1;
  column.bits = bit_width(all.missing ? span + 1 : span);
}

template <class T>
inline std::uint64_t SortKeys::code_of(const Column& column, T value) const {
  if (is_missing(value)) return column.missing_code;
  const std::uint64_t key = sortable(value);
  return (column.column.descending ? column.greatest - key : key - column.least) + column.offset;
}

std::uint64_t SortKeys::code(const Column& column, std::size_t row) const {
  switch (column.column.type) {
    case Type::real: return code_of(column, static_cast<const double*>(column.column.values)[row]);
    case Type::long_integer: return code_of(column, static_cast<const std::int64_t*>(column.column.values)[row]);
    default: return code_of(column, static_cast<const std::int32_t*>(column.column.values)[row]);
  }
}

SortKeys::SortKeys(const std::vector<SortColumn>& columns, std::size_t rows, int threads) {
  for (const SortColumn& one : columns) {
    Column column;
    column.column = one;
    switch (one.type) {
      case Type::real: measure<double>(column, rows, threads); break;
      case Type::long_integer: measure<std::int64_t>(column, rows, threads); break;
      default: measure<std::int32_t>(column, rows, threads);
    }
    column.start = bits_;
    bits_ += column.bits;
    columns_.push_back(column);
  }
}

std::uint64_t SortKeys::word(std::size_t row, std::size_t number) const {
  const std::size_t first = number * 64, last = std::min(first + 64, bits_);
  std::uint64_t word = 0;
  for (const Column& column : columns_) {
    const std::size_t end = column.start + column.bits;
    if (column.bits == 0 || end <= first || column.start >= last) continue;
    const std::uint64_t bits = code(column, row);
    word |= end > last ? bits >> (end - last) : bits << (last - end);
  }
  const std::size_t width = last - first;
  return width == 64 ? word : word & ((std::uint64_t(1) << width) - 1);
}

void SortKeys::first_words(std::size_t first, std::size_t last, std::uint64_t* words) const {
  if (columns_.size() > 1) {
    for (std::size_t i = first; i < last; ++i) words[i - first] = word(i, 0);
    return;
  }
  const Column& column = columns_[0];
  const auto fill = [&](const auto* values) {
    for (std::size_t i = first; i < last; ++i) words[i - first] = code_of(column, values[i]);
  };
  switch (column.column.type) {
    case Type::real: return fill(static_cast<const double*>(column.column.values));
    case Type::long_integer: return fill(static_cast<const std::int64_t*>(column.column.values));
    default: return fill(static_cast<const std::int32_t*>(column.column.values));
  }
}

const double* SortKeys::only_reals() const {
  if (columns_.size() != 1 || columns_[0].column.type != Type::real) return nullptr;
  return static_cast<const double*>(columns_[0].column.values);
}

void text_codes(const Text* texts, std::size_t rows, Text missing_text, const char* (*bytes)(Text), std::int32_t* codes) {
  const Groups groups = group_by(Type::text, texts, rows);
  const std::vector<std::int32_t> first = first_rows(groups.of_row.data(), rows, groups.count);
  std::vector<std::int32_t> sorted(groups.count);
  std::iota(sorted.begin(), sorted.end(), 0);
  std::sort(sorted.begin(), sorted.end(), [&](std::int32_t a, std::int32_t b) { return std::strcmp(bytes(texts[first[a]]), bytes(texts[first[b]])) < 0; });
  std::vector<std::int32_t> code(groups.count);
  for (std::size_t k = 0; k < sorted.size(); ++k)
    code[sorted[k]] = texts[first[sorted[k]]] == missing_text ? missing_integer : static_cast<std::int32_t>(k);
  for (std::size_t i = 0; i < rows; ++i) codes[i] = code[groups.of_row[i]];
}

}  // namespace rowanroot
