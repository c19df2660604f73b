#include "fast.h"

#include "aggregate.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <type_traits>
#include <utility>

#include "exact_sum.h"

namespace rowanroot {
namespace {

constexpr int lanes = 8;
constexpr int width = 4;  // of the vectors in which gcc compares without a detour
constexpr int vectors = lanes / width;
constexpr double infinity = std::numeric_limits<double>::infinity();
// Squares of distances from the true mean, as they are from the rounded one: R's own are.
double about_rounded_mean(double squares, const Mean& mean, std::size_t known) {
  return squares + static_cast<double>(known) * (mean.rest * mean.rest);
}

// What one block, or one group, knows.
struct Partial {
  ExactSum sum;
  double least = infinity;
  double greatest = -infinity;
  double squares = 0;  // of the distances from the mean
  std::size_t known = 0;
};

// Several values at once, by whatever the processor has for it.
typedef double Reals __attribute__((vector_size(width * sizeof(double))));
typedef std::int64_t Longs __attribute__((vector_size(width * sizeof(std::int64_t))));
typedef std::int32_t Integers __attribute__((vector_size(width * sizeof(std::int32_t))));

// Values and which of them are numbers: all bits or none.
inline void take(const double* values, Reals* taken, Longs* known) {
  std::memcpy(taken, values, sizeof *taken);
  *known = *taken == *taken;
}

inline void take(const std::int32_t* values, Reals* taken, Longs* known) {
  Integers whole;
  std::memcpy(&whole, values, sizeof whole);
  *taken = __builtin_convertvector(whole, Reals);
  *known = __builtin_convertvector(whole != missing_integer, Longs);
}

// Adds up the values that are numbers, and counts them.
template <class T>
ROWANROOT_WIDE void sum_lanes(const T* values, std::size_t rows, ExactSum* sums, std::int64_t* counts) {
  Reals sum[vectors] = {}, rest[vectors] = {};
  Longs count[vectors] = {};
  std::size_t i = 0;
  for (; i + lanes <= rows; i += lanes)
    for (int k = 0; k < vectors; ++k) {
      Reals value;
      Longs known;
      take(values + i + k * width, &value, &known);
      value = reinterpret_cast<Reals>(reinterpret_cast<Longs>(value) & known);
      const Reals total = sum[k] + value, taken = total - sum[k];
      // Sums of whole numbers of 32 bits are exact as they are.
      if constexpr (std::is_same_v<T, double>) rest[k] += (sum[k] - (total - taken)) + (value - taken);
      sum[k] = total;
      count[k] -= known;
    }
  for (int lane = 0; lane < lanes; ++lane) {
    sums[lane] = {sum[lane / width][lane % width], rest[lane / width][lane % width]};
    counts[lane] = count[lane / width][lane % width];
  }
  for (int lane = 0; i < rows; ++i, ++lane) {
    const double value = as_real(values[i]);
    if (value != value) continue;
    sums[lane].add(value);
    ++counts[lane];
  }
}

// The sum of the squares of the distances from `centre`.
template <class T>
ROWANROOT_WIDE double squares_about(const T* values, std::size_t rows, double centre) {
  Reals sum[vectors] = {};
  std::size_t i = 0;
  for (; i + lanes <= rows; i += lanes)
    for (int k = 0; k < vectors; ++k) {
      Reals distance;
      Longs known;
      take(values + i + k * width, &distance, &known);
      distance -= centre;
      distance *= distance;
      sum[k] += reinterpret_cast<Reals>(reinterpret_cast<Longs>(distance) & known);
    }
  double total = 0;
  for (int lane = 0; lane < lanes; ++lane) total += sum[lane / width][lane % width];
  for (; i < rows; ++i) {
    const double value = as_real(values[i]);
    if (value == value) total += (value - centre) * (value - centre);
  }
  return total;
}

template <class T>
Partial sum_block(const T* values, std::size_t rows) {
  ExactSum sums[lanes];
  std::int64_t counts[lanes];
  sum_lanes(values, rows, sums, counts);
  Partial partial;
  for (int lane = 0; lane < lanes; ++lane) {
    partial.sum.add(sums[lane]);
    partial.known += static_cast<std::size_t>(counts[lane]);
  }
  return partial;
}

// The block is in the cache when it is read again for the squares.
template <class T>
Partial moments_block(const T* values, std::size_t rows) {
  Partial partial = sum_block(values, rows);
  if (!partial.known) return partial;
  const Mean mean = mean_of(partial.sum, partial.known);
  // Blocks are put together by their true means.
  const double rest = static_cast<double>(partial.known) * (mean.rest * mean.rest);
  partial.squares = std::max(squares_about(values, rows, mean.value) - rest, 0.0);
  return partial;
}

// NaN compares as neither less nor greater.
template <class T>
ROWANROOT_WIDE void range_lanes(const T* values, std::size_t rows, double* leasts, double* greatests,
                                std::int64_t* counts) {
  Reals least[vectors], greatest[vectors];
  for (int k = 0; k < vectors; ++k) {
    least[k] = infinity - Reals{};
    greatest[k] = -infinity - Reals{};
  }
  Longs count[vectors] = {};
  std::size_t i = 0;
  for (; i + lanes <= rows; i += lanes)
    for (int k = 0; k < vectors; ++k) {
      Reals value;
      Longs known;
      take(values + i + k * width, &value, &known);
      least[k] = (value < least[k]) & known ? value : least[k];
      greatest[k] = (value > greatest[k]) & known ? value : greatest[k];
      count[k] -= known;
    }
  std::memcpy(leasts, least, sizeof least);
  std::memcpy(greatests, greatest, sizeof greatest);
  std::memcpy(counts, count, sizeof count);
  for (; i < rows; ++i) {
    const double value = as_real(values[i]);
    leasts[0] = value < leasts[0] ? value : leasts[0];
    greatests[0] = value > greatests[0] ? value : greatests[0];
    counts[0] += value == value;
  }
}

template <class T>
Partial range_block(const T* values, std::size_t rows) {
  double leasts[lanes], greatests[lanes];
  std::int64_t counts[lanes];
  range_lanes(values, rows, leasts, greatests, counts);
  Partial partial;
  for (int lane = 0; lane < lanes; ++lane) {
    partial.least = std::min(partial.least, leasts[lane]);
    partial.greatest = std::max(partial.greatest, greatests[lane]);
    partial.known += static_cast<std::size_t>(counts[lane]);
  }
  return partial;
}

// What two parts' means being apart adds to the squares of the whole (Chan, Golub and LeVeque, 1979).
double between(const Partial& total, const Partial& partial) {
  if (!total.known || !partial.known) return 0;
  const Mean one = mean_of(total.sum, total.known), other = mean_of(partial.sum, partial.known);
  const double a = static_cast<double>(total.known), b = static_cast<double>(partial.known);
  const double apart = (one.value - other.value) + (one.rest - other.rest);
  return apart * apart * (a * b / (a + b));
}

// Does each block by itself, by several threads if asked, and puts them together in their order.
template <class BlockOf>
Partial all_blocks(std::size_t rows, Workers threads, BlockOf block_of) {
  Schedule schedule;
  schedule.threads = threads;
  std::vector<Partial> partials((rows + schedule.block_rows - 1) / schedule.block_rows);
  run_rounds(
      rows, schedule,
      [&](int, std::size_t first, std::size_t last) {
        partials[first / schedule.block_rows] = block_of(first, last - first);
      },
      [&](std::size_t, std::size_t) {
        if (threads.look_up) threads.look_up();
      });
  Partial total;
  for (const Partial& partial : partials) {
    total.squares += partial.squares + between(total, partial);
    total.sum.add(partial.sum);
    total.known += partial.known;
    total.least = std::min(total.least, partial.least);
    total.greatest = std::max(total.greatest, partial.greatest);
  }
  return total;
}

// Which of missing and not-a-number a column without `skip_missing` gives: the first of them that it has.
template <class T>
double first_unknown(const T* values, std::size_t rows) {
  for (std::size_t i = 0; i < rows; ++i) {
    const double value = as_real(values[i]);
    if (value != value) return value;
  }
  return missing_real();
}

// Of the least and the greatest, R gives missing rather than not-a-number.
template <class T>
double strongest_unknown(const T* values, std::size_t rows) {
  double found = std::numeric_limits<double>::quiet_NaN();
  for (std::size_t i = 0; i < rows; ++i) {
    if (is_missing_real(as_real(values[i]))) return missing_real();
  }
  return found;
}

// Of zeros of both signs R gives the first.
template <class T>
double first_like(double found, const T* values, std::size_t rows) {
  return found == 0 ? as_real(*std::find(values, values + rows, static_cast<T>(0))) : found;
}

template <class T>
MeanAndVariance moments_of_column(const T* values, std::size_t rows, bool with_squares, Workers threads) {
  const auto block_of = with_squares ? moments_block<T> : sum_block<T>;
  const Partial total =
      all_blocks(rows, threads, [&](std::size_t first, std::size_t size) { return block_of(values + first, size); });
  const double known = static_cast<double>(total.known);
  const Mean mean = mean_of(total.sum, total.known);
  if (is_exact(total.sum) && std::isfinite(total.squares))
    return {total.sum.value(), mean.value, known, about_rounded_mean(total.squares, mean, total.known)};
  const LongSums sums(values, rows);
  return {static_cast<double>(sums.sum), static_cast<double>(sums.mean()), known, static_cast<double>(sums.squares)};
}

template <class T>
double aggregate_column(Aggregate what, const T* values, std::size_t rows, bool skip_missing, Workers threads) {
  if (what == Aggregate::least || what == Aggregate::greatest) {
    const Partial total = all_blocks(
        rows, threads, [&](std::size_t first, std::size_t size) { return range_block(values + first, size); });
    if (total.known < rows && !skip_missing) return strongest_unknown(values, rows);
    return first_like(what == Aggregate::least ? total.least : total.greatest, values, rows);
  }
  const MeanAndVariance found = moments_of_column(values, rows, what == Aggregate::variance, threads);
  if (what == Aggregate::known) return found.known;
  if (found.known < static_cast<double>(rows) && !skip_missing)
    return what == Aggregate::variance ? missing_real() : first_unknown(values, rows);
  switch (what) {
    case Aggregate::sum: return found.sum;
    case Aggregate::mean: return found.mean;
    default: return found.known > 1 ? found.squares / (found.known - 1) : missing_real();
  }
}

}  // namespace

Aggregate aggregate_of_name(const std::string& name) {
  if (name == "sum") return Aggregate::sum;
  if (name == "mean") return Aggregate::mean;
  if (name == "variance") return Aggregate::variance;
  if (name == "least") return Aggregate::least;
  if (name == "greatest") return Aggregate::greatest;
  if (name == "known") return Aggregate::known;
  throw std::invalid_argument("no aggregate " + name);
}

MeanAndVariance mean_and_variance(Type type, const void* column, std::size_t rows, Workers threads) {
  if (type == Type::real) return moments_of_column(static_cast<const double*>(column), rows, true, threads);
  return moments_of_column(static_cast<const std::int32_t*>(column), rows, true, threads);
}

double aggregate(Aggregate what, Type type, const void* column, std::size_t rows, bool skip_missing, Workers threads) {
  if (type == Type::real)
    return aggregate_column(what, static_cast<const double*>(column), rows, skip_missing, threads);
  return aggregate_column(what, static_cast<const std::int32_t*>(column), rows, skip_missing, threads);
}

}  // namespace rowanroot
