#pragma once
// Values at a position in the order of a column, or of each group.

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "memory.h"
#include "values.h"

namespace rowanroot {

// The median of each group: the middle value, or the mean of the middle two. Of no values, or with one that is
// missing unless those are skipped, it is missing.
RowVector<double> medians(Type type, const void* column, std::size_t rows, bool skip_missing,
                          const std::int32_t* group_of_row, std::size_t groups);

// The value that this share of each group's values lies below, between two values by a straight line: Hyndman and
// Fan's type 7 (1996), as R's `quantile()`. Missing values are skipped.
RowVector<double> quantiles(double share, Type type, const void* column, std::size_t rows,
                            const std::int32_t* group_of_row, std::size_t groups);

// Between the values at a position in an order, counted from 1, and at the next one.
inline double between_two(double lower, double upper, double place) {
  const double beyond = place - std::floor(place);
  return beyond > 0 && upper != lower ? (1 - beyond) * lower + beyond * upper : lower;
}

}  // namespace rowanroot
