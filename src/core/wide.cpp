#include "fast.h"

#include "wide.h"

#include <limits>

namespace rowanroot {
namespace {

constexpr std::size_t block = 1024;

// A column's values beside the best so far. Numbers of columns are doubles here, as wide as the values: so the compiler
// does several rows at a time. With the sign turned, the least is the greatest.
ROWANROOT_WIDE void take_column(const double* column, double sign, double own, std::size_t rows, double* best,
                                double* number, double* unknown) {
  for (std::size_t i = 0; i < rows; ++i) {
    const double value = sign * column[i];
    const bool is_better = (value > best[i]) | ((value == value) & (number[i] == 0));
    best[i] = is_better ? value : best[i];
    number[i] = is_better ? own : number[i];
    unknown[i] = value == value ? unknown[i] : 1;
  }
}

void ends_of_block(const std::vector<const double*>& columns, std::size_t first, std::size_t rows, bool greatest,
                   bool skip, std::int32_t* result) {
  double best[block], number[block], unknown[block];
  std::fill_n(best, rows, -std::numeric_limits<double>::infinity());
  std::fill_n(number, rows, 0.0);
  std::fill_n(unknown, rows, 0.0);
  for (std::size_t k = 0; k < columns.size(); ++k)
    take_column(columns[k] + first, greatest ? 1 : -1, static_cast<double>(k + 1), rows, best, number, unknown);
  for (std::size_t i = 0; i < rows; ++i)
    result[i] = number[i] == 0 || (unknown[i] != 0 && !skip) ? missing_integer : static_cast<std::int32_t>(number[i]);
}

// How many keys are less than each of some others, or not greater. Each step goes on with one half or the other without
// a jump, which no processor could foresee, and all do a step before any does the next: none waits for its memory.
constexpr std::size_t together = 8;

template <bool or_equal>
void count_before(const double* keys, std::size_t count, const double* others, std::size_t* result) {
  std::fill_n(result, together, std::size_t(0));
  if (count == 0) return;
  const auto is_before = [](double key, double other) { return or_equal ? key <= other : key < other; };
  std::size_t left = count;
  for (; left > 1; left -= left / 2) {
    const std::size_t half = left / 2;
    for (std::size_t k = 0; k < together; ++k) result[k] += is_before(keys[result[k] + half - 1], others[k]) ? half : 0;
  }
  for (std::size_t k = 0; k < together; ++k) result[k] += is_before(keys[result[k]], others[k]);
}

}  // namespace

void number_of_end(const std::vector<const double*>& columns, std::size_t rows, bool greatest, bool skip,
                   const Workers& workers, std::int32_t* result) {
  constexpr std::size_t piece = 16 * block;
  run_pieces((rows + piece - 1) / piece, workers, [&](int, std::size_t p) {
    for (std::size_t first = p * piece; first < std::min(rows, (p + 1) * piece); first += block) {
      const std::size_t count = std::min(block, rows - first);
      ends_of_block(columns, first, count, greatest, skip, result + first);
    }
  });
}

void nearest(const double* table, const std::vector<std::size_t>& starts, const double* keys,
             const std::int32_t* group_of_key, std::size_t count, bool after, const Workers& workers,
             std::int32_t* result) {
  constexpr std::size_t piece = 1 << 14;
  run_pieces((count + piece - 1) / piece, workers, [&](int, std::size_t p) {
    const std::size_t end = std::min(count, (p + 1) * piece);
    for (std::size_t i = p * piece; i < end;) {
      // Rows of one group that follow each other, as many as are done together; the last stands for those that lack.
      const std::int32_t group = group_of_key ? group_of_key[i] : 0;
      std::size_t rows = 0;
      double others[together];
      while (rows < together && i + rows < end && (!group_of_key || group_of_key[i + rows] == group)) {
        others[rows] = keys[i + rows];
        ++rows;
      }
      std::fill(others + rows, others + together, others[rows - 1]);
      const std::size_t first = group < 0 ? 0 : starts[static_cast<std::size_t>(group)];
      const std::size_t size = group < 0 ? 0 : starts[static_cast<std::size_t>(group) + 1] - first;
      std::size_t before[together];
      if (after) count_before<false>(table + first, size, others, before);
      else count_before<true>(table + first, size, others, before);
      for (std::size_t k = 0; k < rows; ++k, ++i) {
        const bool found = others[k] == others[k] && (after ? before[k] < size : before[k] > 0);
        result[i] = found ? static_cast<std::int32_t>(first + before[k] - (after ? 0 : 1)) : -1;
      }
    }
  });
}

}  // namespace rowanroot
