#include "fast.h"

#include "sort_keys.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>

#include "groups.h"
#include "rounds.h"

namespace rowanroot {
namespace {

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

template <class T>
Range range_of_values(const T* values, std::size_t rows, Workers threads) {
  constexpr std::size_t piece = 1 << 16;
  std::vector<Range> ranges((rows + piece - 1) / piece);
  run_pieces(ranges.size(), threads,
             [&](int, std::size_t k) { range_of(values + k * piece, std::min(piece, rows - k * piece), &ranges[k]); });
  Range all;
  for (const Range& range : ranges) {
    all.least = std::min(all.least, range.least);
    all.greatest = std::max(all.greatest, range.greatest);
    all.missing += range.missing;
  }
  if (all.missing == rows) all.least = all.greatest = 0;
  return all;
}

// The range of all values of a type, some of them missing.
template <class T>
Range range_of_type(std::size_t rows) {
  using Limits = std::numeric_limits<T>;
  const T greatest = Limits::has_infinity ? Limits::infinity() : Limits::max();
  return {sortable(static_cast<T>(-greatest)), sortable(greatest), rows};
}

}  // namespace

template <class T>
void SortKeys::measure(Column& column, std::size_t rows, Workers threads, bool looks_at_values) {
  const Range all = looks_at_values ? range_of_values(static_cast<const T*>(column.column.values), rows, threads)
                                    : range_of_type<T>(rows);
  column.least = all.least;
  column.greatest = all.greatest;
  column.missing_rows = all.missing;
  const std::uint64_t span = all.greatest - all.least;
  column.offset = all.missing && column.column.missing_first ? 1 : 0;
  column.missing_code = column.column.missing_first ? 0 : span + 1;
  column.bits = bit_width(all.missing ? span + 1 : span);
}

std::uint64_t SortKeys::code(const Column& column, std::size_t row) const {
  switch (column.column.type) {
    case Type::real: return code_of(column, static_cast<const double*>(column.column.values)[row]);
    case Type::long_integer: return code_of(column, static_cast<const std::int64_t*>(column.column.values)[row]);
    default: return code_of(column, static_cast<const std::int32_t*>(column.column.values)[row]);
  }
}

SortKeys::SortKeys(const std::vector<SortColumn>& columns, std::size_t rows, Workers threads, bool looks_at_values) {
  for (const SortColumn& one : columns) {
    Column column;
    column.column = one;
    switch (one.type) {
      case Type::real: measure<double>(column, rows, threads, looks_at_values); break;
      case Type::long_integer: measure<std::int64_t>(column, rows, threads, looks_at_values); break;
      default: measure<std::int32_t>(column, rows, threads, looks_at_values);
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

// The words of this number, for a few rows, column by column.
void SortKeys::fill_words(std::size_t number, std::size_t first, std::size_t count, std::uint64_t* words) const {
  const std::size_t first_bit = number * 64, last_bit = std::min(first_bit + 64, bits_), width = last_bit - first_bit;
  std::fill_n(words, count, 0);
  for (const Column& column : columns_) {
    const std::size_t end = column.start + column.bits;
    if (column.bits == 0 || end <= first_bit || column.start >= last_bit) continue;
    const std::size_t right = end > last_bit ? end - last_bit : 0, left = end > last_bit ? 0 : last_bit - end;
    const auto add = [&](const auto* values) {
      for (std::size_t i = 0; i < count; ++i) words[i] |= code_of(column, values[first + i]) >> right << left;
    };
    switch (column.column.type) {
      case Type::real: add(static_cast<const double*>(column.column.values)); break;
      case Type::long_integer: add(static_cast<const std::int64_t*>(column.column.values)); break;
      default: add(static_cast<const std::int32_t*>(column.column.values));
    }
  }
  if (width == 64) return;
  const std::uint64_t mask = (std::uint64_t(1) << width) - 1;
  for (std::size_t i = 0; i < count; ++i) words[i] &= mask;
}

SortKeys::Reals SortKeys::reals(std::size_t most_bits_before) const {
  Reals found;
  for (const Column& column : columns_) {
    if (column.start > most_bits_before) return found;
    if (column.column.type != Type::real) continue;
    found.values = static_cast<const double*>(column.column.values);
    found.bits_before = column.start;
    found.descending = column.column.descending;
    found.missing_first = column.column.missing_first;
    return found;
  }
  return found;
}

namespace {

template <class T>
std::size_t compact(const T* values, bool descending, std::size_t rows, std::size_t most, std::int32_t* codes) {
  double least = std::numeric_limits<double>::infinity(), greatest = -least;
  bool missing = false;
  for (std::size_t i = 0; i < rows; ++i) {
    if (is_missing(values[i])) {
      missing = true;
      continue;
    }
    const double value = static_cast<double>(values[i]);
    least = std::min(least, value);
    greatest = std::max(greatest, value);
    if (value != std::floor(value) || greatest - least >= static_cast<double>(most)) return 0;
  }
  if (least > greatest) least = greatest = 0;
  const std::int32_t span = static_cast<std::int32_t>(greatest - least);
  for (std::size_t i = 0; i < rows; ++i) {
    if (is_missing(values[i])) codes[i] = span + 1;
    else
      codes[i] = static_cast<std::int32_t>(descending ? greatest - static_cast<double>(values[i])
                                                      : static_cast<double>(values[i]) - least);
  }
  return static_cast<std::size_t>(span) + 1 + missing;
}

}  // namespace

std::size_t compact_codes(const SortColumn& column, std::size_t rows, std::size_t most, std::int32_t* codes) {
  if (column.type == Type::real)
    return compact(static_cast<const double*>(column.values), column.descending, rows, most, codes);
  if (column.type == Type::long_integer) return 0;
  return compact(static_cast<const std::int32_t*>(column.values), column.descending, rows, most, codes);
}

void text_codes(const Text* texts, std::size_t rows, Text missing_text, const char* (*bytes)(Text), Workers threads,
                std::int32_t* codes) {
  const std::size_t different = group_by(Type::text, texts, rows, threads, codes);
  const RowVector<std::int32_t> first = first_rows(codes, rows, different);
  std::vector<std::int32_t> sorted(different);
  std::iota(sorted.begin(), sorted.end(), 0);
  std::sort(sorted.begin(), sorted.end(), [&](std::int32_t a, std::int32_t b) {
    return std::strcmp(bytes(texts[first[a]]), bytes(texts[first[b]])) < 0;
  });
  std::vector<std::int32_t> code(different);
  for (std::size_t k = 0; k < sorted.size(); ++k)
    code[sorted[k]] = texts[first[sorted[k]]] == missing_text ? missing_integer : static_cast<std::int32_t>(k);
  constexpr std::size_t piece = 1 << 16;
  run_pieces((rows + piece - 1) / piece, threads, [&](int, std::size_t k) {
    for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i) codes[i] = code[codes[i]];
  });
}

}  // namespace rowanroot
