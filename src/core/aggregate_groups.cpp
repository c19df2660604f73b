#include "fast.h"

#include "aggregate.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "exact_sum.h"

namespace rowanroot {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

// Rows are added up in this many stretches, whatever the number of threads, if groups are not too many.
constexpr std::size_t sum_stretches = 4;

struct GroupTotal {
  ExactSum sum;
  std::size_t known = 0;
};

struct GroupTotals {
  RowVector<GroupTotal> groups;
  RowVector<double> first_unknown;  // of each group, 0 without one; empty if all values are numbers

  bool is_complete(std::size_t g) const { return first_unknown.empty() || first_unknown[g] == 0; }
};

// Groups are looked up this many rows ahead: their totals are seldom in the cache.
constexpr std::size_t ahead = 24;

// What is not known adds nothing: without a branch, as which values are missing can't be foreseen.
template <class T>
void add_up(const T* values, const std::int32_t* group_of_row, std::size_t first, std::size_t end, GroupTotal* all) {
  for (std::size_t i = first; i < end; ++i) {
    __builtin_prefetch(all + group_of_row[std::min(i + ahead, end - 1)], 1);
    const double value = as_real(values[i]);
    GroupTotal& group = all[group_of_row[i]];
    group.sum.add(value == value ? value : 0);
    group.known += value == value;
  }
}

// Of each group the first value that is not known, 0 without one; empty if all are.
template <class T>
RowVector<double> first_unknown_of_groups(const T* values, std::size_t rows, const std::int32_t* group_of_row,
                                          std::size_t groups) {
  RowVector<double> result;
  for (std::size_t i = 0; i < rows; ++i) {
    const double value = as_real(values[i]);
    if (value == value) continue;
    if (result.empty()) result.resize(groups, 0);
    double& first = result[group_of_row[i]];
    if (first == 0) first = value;
  }
  return result;
}

template <class T>
GroupTotals totals_of_groups(const T* values, std::size_t rows, const std::int32_t* group_of_row, std::size_t groups,
                             bool skip_missing, Workers threads) {
  const std::size_t count = groups * 16 < rows ? sum_stretches : 1;
  std::vector<RowVector<GroupTotal>> stretches(count);
  run_pieces(count, threads, [&](int, std::size_t k) {
    stretches[k].resize(groups);
    add_up(values, group_of_row, rows * k / count, rows * (k + 1) / count, stretches[k].data());
  });
  GroupTotals result;
  result.groups = std::move(stretches[0]);
  std::size_t known = 0;
  for (std::size_t g = 0; g < groups; ++g) {
    GroupTotal& total = result.groups[g];
    for (std::size_t k = 1; k < count; ++k) {
      total.sum.add(stretches[k][g].sum);
      total.known += stretches[k][g].known;
    }
    known += total.known;
  }
  if (!skip_missing && known < rows) result.first_unknown = first_unknown_of_groups(values, rows, group_of_row, groups);
  return result;
}

// The groups whose sums are not what a pair of doubles can hold, with R's sums of each.
template <class T>
std::vector<std::pair<std::size_t, LongSums>> long_sums_of_groups(const GroupTotals& totals, const T* values,
                                                                  std::size_t rows, const std::int32_t* group_of_row) {
  std::vector<std::size_t> open;
  for (std::size_t g = 0; g < totals.groups.size(); ++g)
    if (!is_exact(totals.groups[g].sum)) open.push_back(g);
  std::vector<std::pair<std::size_t, LongSums>> result;
  if (open.empty()) return result;
  std::vector<std::vector<T>> members(open.size());
  for (std::size_t i = 0; i < rows; ++i) {
    const auto place = std::lower_bound(open.begin(), open.end(), static_cast<std::size_t>(group_of_row[i]));
    if (place != open.end() && *place == static_cast<std::size_t>(group_of_row[i]))
      members[place - open.begin()].push_back(values[i]);
  }
  for (std::size_t k = 0; k < open.size(); ++k)
    result.push_back({open[k], LongSums(members[k].data(), members[k].size())});
  return result;
}

template <class T>
GroupSums sums_of_column_groups(const T* values, std::size_t rows, bool skip_missing, const std::int32_t* group_of_row,
                                std::size_t groups, Workers threads) {
  GroupTotals totals = totals_of_groups(values, rows, group_of_row, groups, skip_missing, threads);
  GroupSums result{RowVector<double>(groups), RowVector<double>(groups), RowVector<double>(groups),
                   std::move(totals.first_unknown)};
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
RowVector<double> ranges_of_column_groups(bool least, const T* values, std::size_t rows, bool skip_missing,
                                          const std::int32_t* group_of_row, std::size_t groups) {
  RowVector<double> result(groups, least ? infinity : -infinity), unknown(groups, 0);
  for (std::size_t i = 0; i < rows; ++i) {
    const double value = as_real(values[i]);
    const std::int32_t g = group_of_row[i];
    if (value == value) {
      result[g] = least ? std::min(result[g], value) : std::max(result[g], value);
      continue;
    }
    if (unknown[g] == 0 || is_missing_real(value)) unknown[g] = value;
  }
  if (!skip_missing)
    for (std::size_t g = 0; g < groups; ++g)
      if (unknown[g] != unknown[g]) result[g] = unknown[g];
  return result;
}

// Squares are never below zero, so that what rounding takes from the sum is found in fewer steps (Dekker's fast
// two-sum).
inline void add_square(double distance, double* sum, double* rest) {
  const double square = distance * distance, total = *sum + square;
  *rest += total >= 2 * square ? square - (total - *sum) : *sum - (total - square);
  *sum = total;
}

template <class T>
RowVector<double> variances_of_column_groups(const T* values, std::size_t rows, bool skip_missing,
                                             const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  const GroupTotals totals = totals_of_groups(values, rows, group_of_row, groups, skip_missing, threads);
  struct Spread {
    double mean = 0, squares = 0, rest = 0;
  };
  std::vector<Spread> spreads(groups);
  for (std::size_t g = 0; g < groups; ++g)
    spreads[g].mean = mean_of(totals.groups[g].sum, totals.groups[g].known).value;
  for (std::size_t i = 0; i < rows; ++i) {
    if (i + ahead < rows) __builtin_prefetch(spreads.data() + group_of_row[i + ahead], 1);
    const double value = as_real(values[i]);
    Spread& spread = spreads[group_of_row[i]];
    if (value == value) add_square(value - spread.mean, &spread.squares, &spread.rest);
  }
  RowVector<double> result(groups);
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
RowVector<double> aggregate_column_groups(Aggregate what, const T* values, std::size_t rows, bool skip_missing,
                                          const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  if (what == Aggregate::least || what == Aggregate::greatest)
    return ranges_of_column_groups(what == Aggregate::least, values, rows, skip_missing, group_of_row, groups);
  if (what == Aggregate::variance)
    return variances_of_column_groups(values, rows, skip_missing, group_of_row, groups, threads);
  const GroupSums sums = sums_of_column_groups(values, rows, skip_missing, group_of_row, groups, threads);
  if (what == Aggregate::known) return sums.known;
  RowVector<double> result(what == Aggregate::sum ? sums.sum : sums.mean);
  for (std::size_t g = 0; g < groups; ++g)
    if (sums.unknown[g] != 0 && !skip_missing) result[g] = sums.unknown[g];
  return result;
}

}  // namespace

RowVector<double> aggregate_groups(Aggregate what, Type type, const void* column, std::size_t rows, bool skip_missing,
                                   const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  if (type == Type::real)
    return aggregate_column_groups(what, static_cast<const double*>(column), rows, skip_missing, group_of_row, groups,
                                   threads);
  return aggregate_column_groups(what, static_cast<const std::int32_t*>(column), rows, skip_missing, group_of_row,
                                 groups, threads);
}

GroupSums sums_of_groups(Type type, const void* column, std::size_t rows, bool skip_missing,
                         const std::int32_t* group_of_row, std::size_t groups, Workers threads) {
  const auto of = [&](const auto* values) {
    return sums_of_column_groups(values, rows, skip_missing, group_of_row, groups, threads);
  };
  return type == Type::real ? of(static_cast<const double*>(column)) : of(static_cast<const std::int32_t*>(column));
}

}  // namespace rowanroot
