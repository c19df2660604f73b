#pragma once
// Columns side by side, looked at row by row: made into one column, or asked which of them is greatest.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "rounds.h"
#include "values.h"

namespace rowanroot {

// The values of several columns as one, row after row. T is a type of that width.
template <class T>
void interleave(const std::vector<const T*>& columns, std::size_t rows, const Workers& workers, T* result) {
  constexpr std::size_t piece = 1 << 14;
  const std::size_t count = columns.size();
  run_pieces((rows + piece - 1) / piece, workers, [&](int, std::size_t p) {
    // So few rows at a time that what is written stays in the cache until it is whole.
    constexpr std::size_t few = 1 << 8;
    for (std::size_t first = p * piece; first < std::min(rows, (p + 1) * piece); first += few) {
      const std::size_t last = std::min(rows, first + few);
      for (std::size_t k = 0; k < count; ++k) {
        const T* const column = columns[k];
        for (std::size_t i = first; i < last; ++i) result[i * count + k] = column[i];
      }
    }
  });
}

// Each value so many times.
template <class T>
void repeat_each(const T* values, std::size_t rows, std::size_t times, const Workers& workers, T* result) {
  constexpr std::size_t piece = 1 << 14;
  run_pieces((rows + piece - 1) / piece, workers, [&](int, std::size_t p) {
    for (std::size_t i = p * piece; i < std::min(rows, (p + 1) * piece); ++i)
      std::fill_n(result + i * times, times, values[i]);
  });
}

// For each row the number, from 1, of the first column that has the row's greatest value (or its least). A missing
// value makes it missing, or with `skip` is left out; so is NaN.
void number_of_end(const std::vector<const double*>& columns, std::size_t rows, bool greatest, bool skip,
                   const Workers& workers, std::int32_t* result);

// For each key the number, from 0, of the last of a table's keys that is not greater (or if `after`, the first that is
// not less), or -1. The table's keys rise within their groups, which begin at `starts`; a key's group is below 0 if the
// table has none of it. `group_of_key` may be null for one group of all.
void nearest(const double* table, const std::vector<std::size_t>& starts, const double* keys,
             const std::int32_t* group_of_key, std::size_t count, bool after, const Workers& workers,
             std::int32_t* result);

}  // namespace rowanroot
