#pragma once
// One value of many: sums and the like, of a whole column or of each group.
//
// Sums of doubles are kept with what rounding takes from them, in blocks of eight lanes, and the blocks are added up in
// their order: as exact as R's long double sums or more so, and the same for any number of threads.

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "groups.h"
#include "memory.h"
#include "rounds.h"
#include "values.h"

namespace rowanroot {

enum class Aggregate { sum, mean, variance, least, greatest, known };

// Throws std::invalid_argument for a name that there is not.
Aggregate aggregate_of_name(const std::string& name);

// The aggregate of a column of doubles, or of integers or logicals taken as doubles. With `skip_missing`
// missing values are left out; else any gives missing. Of no values: a sum of 0, a mean that is not a
// number, a missing variance, Inf as the least and -Inf as the greatest.
double aggregate(Aggregate what, Type type, const void* column, std::size_t rows, bool skip_missing, Workers threads);

// From one pass: the sum and the mean of the values that are numbers, how many there are, and the sum of the squares of
// their distances from their mean.
struct MeanAndVariance {
  double sum;
  double mean;
  double known;
  double squares;
};
MeanAndVariance mean_and_variance(Type type, const void* column, std::size_t rows, Workers threads);

// The aggregate of each group.
RowVector<double> aggregate_groups(Aggregate what, Type type, const void* column, std::size_t rows, bool skip_missing,
                                   const std::int32_t* group_of_row, std::size_t groups, Workers threads);

// Of each group the sum, the mean and the number of known values; and unless missing values are left out, the first
// value that is missing or not a number, 0 if there is none.
struct GroupSums {
  RowVector<double> sum, mean, known, unknown;
};
GroupSums sums_of_groups(Type type, const void* column, std::size_t rows, bool skip_missing,
                         const std::int32_t* group_of_row, std::size_t groups, Workers threads);

}  // namespace rowanroot
