#pragma once
// Sums that lose nothing, and means of them.

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <limits>

#include "values.h"

namespace rowanroot {

// A sum and what rounding took from it, so that nothing is lost (Knuth's two-sum): a large offset that all values share
// costs no digits.
struct ExactSum {
  double sum = 0, rest = 0;

  void add(double value) {
    const double total = sum + value, taken = total - sum;
    rest += (sum - (total - taken)) + (value - taken);
    sum = total;
  }
  void add(const ExactSum& other) {
    add(other.sum);
    rest += other.rest;
  }
  double value() const { return sum + rest; }
};

// A mean rounded to a double, and by how much the true one is greater.
struct Mean {
  double value = std::numeric_limits<double>::quiet_NaN();
  double rest = 0;
};

inline Mean mean_of(const ExactSum& total, std::size_t known) {
  if (!known) return {};
  const double count = static_cast<double>(known), first = total.value() / count;
  const double left = (std::fma(-first, count, total.sum) + total.rest) / count;
  const double mean = first + left;
  return {mean, (first - mean) + left};
}

// Infinite values, and sums that pass through what a double can hold: as R has them, one value after the other.
struct LongSums {
  long double sum = 0, squares = 0;
  std::size_t known = 0;

  template <class T>
  LongSums(const T* values, std::size_t rows) {
    each(values, rows, [&](double value) {
      sum += value;
      ++known;
    });
    const long double centre = mean();
    each(values, rows, [&](double value) { squares += (value - centre) * (value - centre); });
  }
  long double mean() const { return sum / static_cast<long double>(known); }

 private:
  template <class T, class Use>
  void each(const T* values, std::size_t rows, Use use) {
    for (std::size_t i = 0; i < rows; ++i)
      if (const double value = as_real(values[i]); value == value) use(value);
  }
};

inline bool is_exact(const ExactSum& sum) { return std::isfinite(sum.sum) && std::isfinite(sum.rest); }

}  // namespace rowanroot
