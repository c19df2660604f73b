#include "quantiles.h"

#include <algorithm>
#include <cmath>

#include "memory.h"

namespace rowanroot {
namespace {

// The known values of each group, together: those of group g from starts[g] to starts[g + 1].
struct Gathered {
  RowVector<double> values;
  std::vector<std::size_t> starts;
  std::vector<bool> complete;
};

template <class T>
Gathered gather(const T* column, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups) {
  const auto known = [&](std::size_t i) {
    return std::is_same<T, double>::value ? column[i] == column[i] : column[i] != static_cast<T>(missing_integer);
  };
  Gathered all;
  all.starts.assign(groups + 1, 0);
  all.complete.assign(groups, true);
  for (std::size_t i = 0; i < rows; ++i) {
    if (known(i)) ++all.starts[group_of_row[i] + 1];
    else all.complete[group_of_row[i]] = false;
  }
  for (std::size_t g = 0; g < groups; ++g) all.starts[g + 1] += all.starts[g];
  all.values.resize(all.starts[groups]);
  std::vector<std::size_t> next(all.starts.begin(), all.starts.end() - 1);
  for (std::size_t i = 0; i < rows; ++i)
    if (known(i)) all.values[next[group_of_row[i]]++] = static_cast<double>(column[i]);
  return all;
}

Gathered gather(Type type, const void* column, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups) {
  if (type == Type::real) return gather(static_cast<const double*>(column), rows, group_of_row, groups);
  return gather(static_cast<const std::int32_t*>(column), rows, group_of_row, groups);
}

// The value at a position in the order, and the one after it.
struct Neighbours {
  double lower, upper;
};

Neighbours at(double* first, double* last, std::size_t place) {
  std::nth_element(first, first + place, last);
  const double lower = first[place];
  return {lower, first + place + 1 < last ? *std::min_element(first + place + 1, last) : lower};
}

// As R's mean(): in long double, and once more for what the first time left over.
double mean_of_two(double a, double b) {
  long double mean = (static_cast<long double>(a) + b) / 2;
  if (std::isfinite(static_cast<double>(mean))) mean += ((a - mean) + (b - mean)) / 2;
  return static_cast<double>(mean);
}

template <class OfGroup>
RowVector<double> each_group(Gathered& all, OfGroup of_group) {
  RowVector<double> result(all.complete.size());
  for (std::size_t g = 0; g < result.size(); ++g)
    result[g] = of_group(g, all.values.data() + all.starts[g], all.values.data() + all.starts[g + 1]);
  return result;
}

}  // namespace

RowVector<double> medians(Type type, const void* column, std::size_t rows, bool skip_missing,
                          const std::int32_t* group_of_row, std::size_t groups) {
  Gathered all = gather(type, column, rows, group_of_row, groups);
  return each_group(all, [&](std::size_t g, double* first, double* last) {
    const std::size_t count = last - first;
    if (count == 0 || (!all.complete[g] && !skip_missing)) return missing_real();
    const Neighbours middle = at(first, last, (count - 1) / 2);
    return count % 2 == 1 ? middle.lower : mean_of_two(middle.lower, middle.upper);
  });
}

RowVector<double> quantiles(double share, Type type, const void* column, std::size_t rows,
                            const std::int32_t* group_of_row, std::size_t groups) {
  Gathered all = gather(type, column, rows, group_of_row, groups);
  return each_group(all, [&](std::size_t, double* first, double* last) {
    const std::size_t count = last - first;
    if (count == 0) return missing_real();
    const double place = static_cast<double>(count - 1) * share + 1;
    const Neighbours two = at(first, last, static_cast<std::size_t>(place) - 1);
    return between_two(two.lower, two.upper, place);
  });
}

}  // namespace rowanroot
