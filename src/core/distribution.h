#pragma once
// How the values of a column lie: how many are known, how many of those are different, their mean and variance, and
// which have given shares of them below.

#include <cstddef>
#include <vector>

#include "rounds.h"
#include "values.h"

namespace rowanroot {

struct Distribution {
  std::size_t known = 0, different = 0;
  double mean = 0, variance = 0;  // of a sample; not a number if there are too few
  std::vector<double> quantiles;  // for each share, as `quantiles()` has them; none if nothing is known
};

// Of numbers. Shares lie between 0 and 1.
Distribution distribution(Type type, const void* values, std::size_t rows, const std::vector<double>& shares,
                          Workers threads);

}  // namespace rowanroot
