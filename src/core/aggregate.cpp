#include "fast.h"

#include "aggregate.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <type_traits>
#include <utility>

namespace rowanroot {
namespace {

constexpr int lanes = 8;
constexpr int width = 4;  // of the vectors in which gcc compares without a detour
constexpr int vectors = lanes / width;
constexpr double infinity = std::numeric_limits<double>::infinity();

double as_real(double value) { return value; }
double as_real(std::int32_t value) { return value == missing_integer ? missing_real() : value; }

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

Mean mean_of(const ExactSum& total, std::size_t known) {
  if (!known) return {};
  const double count = static_cast<double>(known), first = total.value() / count;
  const double left = (std::fma(-first, count, total.sum) + total.rest) / count;
  const double mean = first + left;
  return {mean, (first - mean) + left};
}

// Squares of distances from the true mean, as they are from the rounded one: R's own are.
double about_rounded_mean(double squares, const Mean& mean, std::size_t known) { return squares + static_cast<double>(known) * (mean.rest * mean.rest); }

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
  run_rounds(rows, schedule,
             [&](int, std::size_t first, std::size_t last) { partials[first / schedule.block_rows] = block_of(first, last - first); },
             [&](std::size_t, std::size_t) { if (threads.look_up) threads.look_up(); });
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

bool is_exact(const ExactSum& sum) { return std::isfinite(sum.sum) && std::isfinite(sum.rest); }

template <class T>
Moments moments_of_column(const T* values, std::size_t rows, bool with_squares, Workers threads) {
  const auto block_of = with_squares ? moments_block<T> : sum_block<T>;
  const Partial total = all_blocks(rows, threads, [&](std::size_t first, std::size_t size) { return block_of(values + first, size); });
  const double known = static_cast<double>(total.known);
  const Mean mean = mean_of(total.sum, total.known);
  if (is_exact(total.sum) && std::isfinite(total.squares)) return {total.sum.value(), mean.value, known, about_rounded_mean(total.squares, mean, total.known)};
  const LongSums sums(values, rows);
  return {static_cast<double>(sums.sum), static_cast<double>(sums.mean()), known, static_cast<double>(sums.squares)};
}

template <class T>
double aggregate_column(Aggregate what, const T* values, std::size_t rows, bool skip_missing, Workers threads) {
  if (what == Aggregate::least || what == Aggregate::greatest) {
    const Partial total = all_blocks(rows, threads, [&](std::size_t first, std::size_t size) { return range_block(values + first, size); });
    if (total.known < rows && !skip_missing) return strongest_unknown(values, rows);
    return first_like(what == Aggregate::least ? total.least : total.greatest, values, rows);
  }
  const Moments found = moments_of_column(values, rows, what == Aggregate::variance, threads);
  if (what == Aggregate::known) return found.known;
  if (found.known < static_cast<double>(rows) && !skip_missing) return what == Aggregate::variance ? missing_real() : first_unknown(values, rows);
  switch (what) {
    case Aggregate::sum: return found.sum;
    case Aggregate::mean: return found.mean;
    default: return found.known > 1 ? found.squares / (found.known - 1) : missing_real();
  }
}

// Rows are added up in this many stretches, whatever the number of threads, if groups are not too many.
constexpr std::size_t sum_stretches = 4;

struct GroupTotal {
  ExactSum sum;
  std::size_t known = 0;
};

struct GroupTotals {
  std::vector<GroupTotal> groups;
  std::vector<double> first_unknown;  // of each group, 0 without one; empty if all values are numbers

  bool is_complete(std::size_t g) const { return first_unknown.empty() || first_unknown[g] == 0; }
};

// Groups are looked up this many rows ahead: their totals are seldom in the cache.
constexpr std::size_t ahead = 24;

template <class T>
GroupTotals totals_of_groups(const T* values, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  const std::size_t count = groups * 16 < rows ? sum_stretches : 1;
  std::vector<GroupTotals> stretches(count);
  run_pieces(count, threads, [&](int, std::size_t k) {
    GroupTotals& own = stretches[k];
    own.groups.resize(groups);
    GroupTotal* const all = own.groups.data();
    const std::size_t end = rows * (k + 1) / count;
    for (std::size_t i = rows * k / count; i < end; ++i) {
      if (i + ahead < end) __builtin_prefetch(all + group_of_row[i + ahead], 1);
      const double value = as_real(values[i]);
      GroupTotal& group = all[group_of_row[i]];
      if (value == value) {
        group.sum.add(value);
        ++group.known;
        continue;
      }
      if (own.first_unknown.empty()) own.first_unknown.resize(groups);
      double& first = own.first_unknown[group_of_row[i]];
      if (first == 0) first = value;
    }
  });
  GroupTotals result = std::move(stretches[0]);
  for (std::size_t k = 1; k < count; ++k) {
    if (result.first_unknown.empty() && !stretches[k].first_unknown.empty()) result.first_unknown.resize(groups);
    for (std::size_t g = 0; g < groups; ++g) {
      const GroupTotal& part = stretches[k].groups[g];
      GroupTotal& total = result.groups[g];
      if (!stretches[k].is_complete(g) && result.is_complete(g)) result.first_unknown[g] = stretches[k].first_unknown[g];
      total.sum.add(part.sum);
      total.known += part.known;
    }
  }
  return result;
}

// The groups whose sums are not what a pair of doubles can hold, with R's sums of each.
template <class T>
std::vector<std::pair<std::size_t, LongSums>> long_sums_of_groups(const GroupTotals& totals, const T* values, std::size_t rows,
                                                                  const std::int32_t* group_of_row) {
  std::vector<std::size_t> open;
  for (std::size_t g = 0; g < totals.groups.size(); ++g)
    if (!is_exact(totals.groups[g].sum)) open.push_back(g);
  std::vector<std::pair<std::size_t, LongSums>> result;
  if (open.empty()) return result;
  std::vector<std::vector<T>> members(open.size());
  for (std::size_t i = 0; i < rows; ++i) {
    const auto place = std::lower_bound(open.begin(), open.end(), static_cast<std::size_t>(group_of_row[i]));
    if (place != open.end() && *place == static_cast<std::size_t>(group_of_row[i])) members[place - open.begin()].push_back(values[i]);
  }
  for (std::size_t k = 0; k < open.size(); ++k) result.push_back({open[k], LongSums(members[k].data(), members[k].size())});
  return result;
}

template <class T>
GroupSums sums_of_column_groups(const T* values, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  GroupTotals totals = totals_of_groups(values, rows, group_of_row, groups, threads);
  GroupSums result{std::vector<double>(groups), std::vector<double>(groups), std::vector<double>(groups), std::move(totals.first_unknown)};
  result.unknown.resize(groups, 0);
  for (std::size_t g = 0; g < groups; ++g) {
    const GroupTotal& group = totals.groups[g];
    result.sum[g] = group.sum.value();
    result.mean[g] = mean_of(group.sum, group.known).value;
    result.known[g] = static_cast<double>(group.known);
  }
  for (const auto& [g, sums] : long_sums_of_groups(totals, values, rows, group_of_row)) {
    result.sum[g] = static_cast<double>(sums.sum);
    result.mean[g] = static_cast<double>(sums.mean());
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

// Squares are never below zero, so that what rounding takes from the sum is found in fewer steps (Dekker's fast two-sum).
inline void add_square(double distance, double* sum, double* rest) {
  const double square = distance * distance, total = *sum + square;
  *rest += total >= 2 * square ? square - (total - *sum) : *sum - (total - square);
  *sum = total;
}

template <class T>
std::vector<double> variances_of_column_groups(const T* values, std::size_t rows, bool skip_missing, const std::int32_t* group_of_row,
                                               std::size_t groups, Workers threads) {
  const GroupTotals totals = totals_of_groups(values, rows, group_of_row, groups, threads);
  struct Spread {
    double mean = 0, squares = 0, rest = 0;
  };
  std::vector<Spread> spreads(groups);
  for (std::size_t g = 0; g < groups; ++g) spreads[g].mean = mean_of(totals.groups[g].sum, totals.groups[g].known).value;
  for (std::size_t i = 0; i < rows; ++i) {
    if (i + ahead < rows) __builtin_prefetch(spreads.data() + group_of_row[i + ahead], 1);
    const double value = as_real(values[i]);
    Spread& spread = spreads[group_of_row[i]];
    if (value == value) add_square(value - spread.mean, &spread.squares, &spread.rest);
  }
  std::vector<double> result(groups);
  for (std::size_t g = 0; g < groups; ++g) {
    const GroupTotal& group = totals.groups[g];
    const bool defined = group.known > 1 && (totals.is_complete(g) || skip_missing);
    const double rest = std::isfinite(spreads[g].rest) ? spreads[g].rest : 0;
    result[g] = defined ? (spreads[g].squares + rest) / (static_cast<double>(group.known) - 1) : missing_real();
  }
  for (const auto& [g, sums] : long_sums_of_groups(totals, values, rows, group_of_row))
    if (!is_missing_real(result[g])) result[g] = static_cast<double>(sums.squares / (sums.known - 1.0L));
  return result;
}

template <class T>
std::vector<double> aggregate_column_groups(Aggregate what, const T* values, std::size_t rows, bool skip_missing,
                                            const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  if (what == Aggregate::least || what == Aggregate::greatest)
    return ranges_of_column_groups(what == Aggregate::least, values, rows, skip_missing, group_of_row, groups);
  if (what == Aggregate::variance) return variances_of_column_groups(values, rows, skip_missing, group_of_row, groups, threads);
  const GroupSums sums = sums_of_column_groups(values, rows, group_of_row, groups, threads);
  if (what == Aggregate::known) return sums.known;
  std::vector<double> result(what == Aggregate::sum ? sums.sum : sums.mean);
  for (std::size_t g = 0; g < groups; ++g)
    if (sums.unknown[g] != 0 && !skip_missing) result[g] = sums.unknown[g];
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
  if (type == Type::real) return moments_of_column(static_cast<const double*>(column), rows, true, threads);
  return moments_of_column(static_cast<const std::int32_t*>(column), rows, true, threads);
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
