#include "fast.h"

#include "aggregate.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace rowanroot {
namespace {

constexpr int lanes = 8;
constexpr int width = 4;  // of the vectors in which gcc compares without a detour
constexpr int vectors = lanes / width;
constexpr double infinity = std::numeric_limits<double>::infinity();

double as_real(double value) { return value; }
double as_real(std::int32_t value) { return value == missing_integer ? missing_real() : value; }

// What one block, or one group, knows.
struct Partial {
  double sum = 0;
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

// Adds up the values that are numbers, less `shift` and squared if asked, and counts them.
template <class T, bool squared>
ROWANROOT_WIDE void add_lanes(const T* values, std::size_t rows, double shift, double* sums, std::int64_t* counts) {
  Reals sum[vectors] = {};
  Longs count[vectors] = {};
  std::size_t i = 0;
  for (; i + lanes <= rows; i += lanes)
    for (int k = 0; k < vectors; ++k) {
      Reals distance;
      Longs known;
      take(values + i + k * width, &distance, &known);
      distance -= shift;
      if (squared) distance *= distance;
      sum[k] += reinterpret_cast<Reals>(reinterpret_cast<Longs>(distance) & known);
      count[k] -= known;
    }
  std::memcpy(sums, sum, sizeof sum);
  std::memcpy(counts, count, sizeof count);
  for (int lane = 0; i < rows; ++i, ++lane) {
    const double value = as_real(values[i]);
    if (value != value) continue;
    sums[lane] += squared ? (value - shift) * (value - shift) : value - shift;
    ++counts[lane];
  }
}

template <class T, bool squared>
double add_up(const T* values, std::size_t rows, double shift, std::size_t* known) {
  double sums[lanes];
  std::int64_t counts[lanes];
  add_lanes<T, squared>(values, rows, shift, sums, counts);
  double sum = 0;
  *known = 0;
  for (int lane = 0; lane < lanes; ++lane) {
    sum += sums[lane];
    *known += static_cast<std::size_t>(counts[lane]);
  }
  return sum;
}

template <class T>
Partial sum_block(const T* values, std::size_t rows) {
  Partial partial;
  partial.sum = add_up<T, false>(values, rows, 0, &partial.known);
  return partial;
}

// The block is in the cache when it is read again for the squares.
template <class T>
Partial moments_block(const T* values, std::size_t rows) {
  Partial partial = sum_block(values, rows);
  if (partial.known) partial.squares = add_up<T, true>(values, rows, partial.sum / static_cast<double>(partial.known), &partial.known);
  return partial;
}

// What is no number compares as neither less nor greater.
template <class T>
ROWANROOT_WIDE void range_lanes(const T* values, std::size_t rows, double* leasts, double* greatests, std::int64_t* counts) {
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
double between(long double sum, std::size_t known, const Partial& partial) {
  if (!known || !partial.known) return 0;
  const double a = static_cast<double>(known), b = static_cast<double>(partial.known);
  const double apart = static_cast<double>(sum / known) - partial.sum / b;
  return apart * apart * (a * b / (a + b));
}

// Does each block by itself, by several threads if asked, and puts them together in their order.
template <class BlockOf>
Partial all_blocks(std::size_t rows, Workers threads, BlockOf block_of) {
  Schedule schedule;
  schedule.threads = threads;
  std::vector<Partial> partials((rows + schedule.block_rows - 1) / schedule.block_rows);
  run_rounds(rows, schedule,
             [&](int, std::size_t first, std::size_t last) { partials[first / schedule.block_rows] = block_of(first, last - first); },
             [&](std::size_t, std::size_t) { if (threads.look_up) threads.look_up(); });
  Partial total;
  long double sum = 0;
  for (const Partial& partial : partials) {
    total.squares += partial.squares + between(sum, total.known, partial);
    sum += partial.sum;
    total.known += partial.known;
    total.least = std::min(total.least, partial.least);
    total.greatest = std::max(total.greatest, partial.greatest);
  }
  total.sum = static_cast<double>(sum);
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
    const double value = as_real(values[i]);
    std::uint64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    if (value != value && static_cast<std::uint32_t>(bits) == 1954) return missing_real();
  }
  return found;
}

// Of zeros of both signs R gives the first.
template <class T>
double first_like(double found, const T* values, std::size_t rows) {
  return found == 0 ? as_real(*std::find(values, values + rows, static_cast<T>(0))) : found;
}

double mean_of(const Partial& sums) {
  return sums.known ? sums.sum / static_cast<double>(sums.known) : std::numeric_limits<double>::quiet_NaN();
}

template <class T>
double aggregate_column(Aggregate what, const T* values, std::size_t rows, bool skip_missing, Workers threads) {
  const bool ranges = what == Aggregate::least || what == Aggregate::greatest;
  const auto block_of = ranges ? range_block<T> : what == Aggregate::variance ? moments_block<T> : sum_block<T>;
  const Partial total = all_blocks(rows, threads, [&](std::size_t first, std::size_t size) { return block_of(values + first, size); });
  if (what == Aggregate::known) return static_cast<double>(total.known);
  if (total.known < rows && !skip_missing) {
    if (what == Aggregate::variance) return missing_real();
    return ranges ? strongest_unknown(values, rows) : first_unknown(values, rows);
  }
  switch (what) {
    case Aggregate::least: return first_like(total.least, values, rows);
    case Aggregate::greatest: return first_like(total.greatest, values, rows);
    case Aggregate::sum: return total.sum;
    case Aggregate::mean: return mean_of(total);
    default: return total.known > 1 ? total.squares / static_cast<double>(total.known - 1) : missing_real();
  }
}

// Rows are added up in this many stretches, whatever the number of threads, if groups are not too many.
constexpr std::size_t sum_stretches = 4;

template <class T>
GroupSums sums_of_column_groups(const T* values, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  struct Group {
    double sum = 0;
    std::uint32_t known = 0, unknown = 0;
  };
  struct Stretch {
    std::vector<Group> groups;
    std::vector<double> first_unknown;
  };
  const std::size_t count = groups * 16 < rows ? sum_stretches : 1;
  std::vector<Stretch> stretches(count);
  run_pieces(count, threads, [&](int, std::size_t k) {
    Stretch& own = stretches[k];
    own.groups.resize(groups);
    Group* const all = own.groups.data();
    for (std::size_t i = rows * k / count; i < rows * (k + 1) / count; ++i) {
      const double value = as_real(values[i]);
      Group& group = all[group_of_row[i]];
      if (value == value) {
        group.sum += value;
        ++group.known;
        continue;
      }
      if (own.first_unknown.empty()) own.first_unknown.resize(groups);
      if (group.unknown++ == 0) own.first_unknown[group_of_row[i]] = value;
    }
  });
  GroupSums result{std::vector<double>(groups, 0), std::vector<double>(groups, 0), std::vector<double>(groups, 0)};
  std::vector<bool> complete(groups, true);
  for (const Stretch& part : stretches) {
    for (std::size_t g = 0; g < groups; ++g) {
      result.sum[g] += part.groups[g].sum;
      result.known[g] += part.groups[g].known;
      if (!part.groups[g].unknown || !complete[g]) continue;
      complete[g] = false;
      result.unknown[g] = part.first_unknown[g];
    }
  }
  return result;
}

template <class T>
std::vector<double> ranges_of_column_groups(bool least, const T* values, std::size_t rows, bool skip_missing, const std::int32_t* group_of_row,
                                            std::size_t groups) {
  std::vector<double> result(groups, least ? infinity : -infinity), unknown(groups, 0);
  for (std::size_t i = 0; i < rows; ++i) {
    const double value = as_real(values[i]);
    const std::int32_t g = group_of_row[i];
    if (value == value) {
      result[g] = least ? std::min(result[g], value) : std::max(result[g], value);
      continue;
    }
    std::uint64_t bits;
    std::memcpy(&bits, &value, sizeof bits);
    if (unknown[g] == 0 || static_cast<std::uint32_t>(bits) == 1954) unknown[g] = value;
  }
  if (!skip_missing)
    for (std::size_t g = 0; g < groups; ++g)
      if (unknown[g] != unknown[g]) result[g] = unknown[g];
  return result;
}

template <class T>
std::vector<double> aggregate_column_groups(Aggregate what, const T* values, std::size_t rows, bool skip_missing,
                                            const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  if (what == Aggregate::least || what == Aggregate::greatest)
    return ranges_of_column_groups(what == Aggregate::least, values, rows, skip_missing, group_of_row, groups);
  const GroupSums sums = sums_of_column_groups(values, rows, group_of_row, groups, threads);
  if (what == Aggregate::known) return sums.known;
  const auto is_complete = [&](std::size_t g) { return sums.unknown[g] == 0; };
  std::vector<double> result(sums.sum);
  if (what != Aggregate::sum)
    for (std::size_t g = 0; g < groups; ++g) result[g] = sums.known[g] > 0 ? sums.sum[g] / sums.known[g] : std::numeric_limits<double>::quiet_NaN();
  if (what != Aggregate::variance) {
    for (std::size_t g = 0; g < groups; ++g)
      if (!is_complete(g) && !skip_missing) result[g] = sums.unknown[g];
    return result;
  }
  std::vector<double> squares(groups, 0);
  for (std::size_t i = 0; i < rows; ++i) {
    const double value = as_real(values[i]);
    const std::int32_t g = group_of_row[i];
    if (value == value) squares[g] += (value - result[g]) * (value - result[g]);
  }
  for (std::size_t g = 0; g < groups; ++g) {
    const bool defined = sums.known[g] > 1 && (is_complete(g) || skip_missing);
    result[g] = defined ? squares[g] / (sums.known[g] - 1) : missing_real();
  }
  return result;
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

Moments moments(Type type, const void* column, std::size_t rows, Workers threads) {
  const auto of = [&](const auto* values) {
    return all_blocks(rows, threads, [&](std::size_t first, std::size_t size) { return moments_block(values + first, size); });
  };
  const Partial total = type == Type::real ? of(static_cast<const double*>(column)) : of(static_cast<const std::int32_t*>(column));
  return {total.sum, static_cast<double>(total.known), total.squares};
}

double aggregate(Aggregate what, Type type, const void* column, std::size_t rows, bool skip_missing, Workers threads) {
  if (type == Type::real) return aggregate_column(what, static_cast<const double*>(column), rows, skip_missing, threads);
  return aggregate_column(what, static_cast<const std::int32_t*>(column), rows, skip_missing, threads);
}

std::vector<double> aggregate_groups(Aggregate what, Type type, const void* column, std::size_t rows, bool skip_missing,
                                     const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  if (type == Type::real)
    return aggregate_column_groups(what, static_cast<const double*>(column), rows, skip_missing, group_of_row, groups, threads);
  return aggregate_column_groups(what, static_cast<const std::int32_t*>(column), rows, skip_missing, group_of_row, groups, threads);
}

GroupSums sums_of_groups(Type type, const void* column, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  if (type == Type::real) return sums_of_column_groups(static_cast<const double*>(column), rows, group_of_row, groups, threads);
  return sums_of_column_groups(static_cast<const std::int32_t*>(column), rows, group_of_row, groups, threads);
}

}  // namespace rowanroot
