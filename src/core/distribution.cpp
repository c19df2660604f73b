#include "fast.h"

#include "distribution.h"

#include <algorithm>
#include <utility>

#include "aggregate.h"
#include "groups.h"
#include "numbering.h"
#include "quantiles.h"
#include "sorting.h"

namespace rowanroot {
namespace {

// `value_at` gives the known value at a position of their order.
template <class ValueAt>
void set_quantiles(Distribution& result, const std::vector<double>& shares, ValueAt value_at) {
  if (result.known == 0) return;
  for (double share : shares) {
    const double place = static_cast<double>(result.known - 1) * share + 1;
    const std::size_t lower = static_cast<std::size_t>(place) - 1;
    result.quantiles.push_back(between_two(value_at(lower), value_at(std::min(lower + 1, result.known - 1)), place));
  }
}

template <class T>
T value_of_key(std::uint64_t key) {
  T value;
  std::memcpy(&value, &key, sizeof value);
  return value;
}

constexpr std::size_t few = 65536;

// The different values of some rows, by number, and how often each comes.
struct Counts {
  Numbering numbering;
  std::vector<std::size_t> of_number;
  bool are_few() const { return numbering.keys().size() <= few; }
};

template <class T>
void count_rows(const T* values, std::size_t first, std::size_t end, Counts* counts) {
  constexpr std::size_t block = 2048;
  std::int32_t numbers[block];
  for (; first < end && counts->are_few(); first += block) {
    const std::size_t last = std::min(first + block, end);
    counts->numbering.number_each(first, last, [=](std::size_t i) { return key_of(values[i]); }, numbers);
    counts->of_number.resize(counts->numbering.keys().size(), 0);
    for (std::size_t i = 0; i < last - first; ++i) ++counts->of_number[numbers[i]];
  }
}

template <class T>
using Counted = std::vector<std::pair<T, std::size_t>>;  // values in order, with how often each comes

template <class T>
void set_mean_and_variance(const Counted<T>& sorted, Distribution& result) {
  long double sum = 0, squares = 0;
  for (const auto& one : sorted) sum += static_cast<long double>(one.first) * one.second;
  long double mean = sum / result.known, left = 0;
  for (const auto& one : sorted) left += (one.first - mean) * one.second;
  mean += left / result.known;
  for (const auto& one : sorted) squares += (one.first - mean) * (one.first - mean) * one.second;
  result.mean = static_cast<double>(mean);
  result.variance = static_cast<double>(squares / (result.known - 1.0L));
}

// Few different values are counted, and only these put in order. Gives whether they were few.
template <class T>
bool count_few(const T* values, std::size_t rows, const std::vector<double>& shares, Workers threads,
               Distribution& result) {
  const std::size_t stretches = static_cast<std::size_t>(std::max<int>(threads, 1));
  std::vector<Counts> counts(stretches);
  run_pieces(stretches, threads, [&](int, std::size_t k) {
    count_rows(values, rows * k / stretches, rows * (k + 1) / stretches, &counts[k]);
  });
  Counted<T> sorted;
  for (const Counts& own : counts) {
    if (!own.are_few()) return false;
    for (std::size_t k = 0; k < own.of_number.size(); ++k) {
      const T value = value_of_key<T>(own.numbering.keys()[k]);
      if (!is_missing(value)) sorted.push_back({value, own.of_number[k]});
    }
  }
  std::sort(sorted.begin(), sorted.end());
  for (std::size_t k = 0; k < sorted.size(); ++k) {
    result.known += sorted[k].second;
    result.different += k == 0 || sorted[k].first != sorted[k - 1].first;
  }
  set_mean_and_variance(sorted, result);
  std::size_t up_to = 0;  // its end, for each
  for (auto& one : sorted) one.second = up_to += one.second;
  set_quantiles(result, shares, [&](std::size_t place) {
    return static_cast<double>(std::partition_point(sorted.begin(), sorted.end(), [=](const auto& one) {
                                 return one.second <= place;
                               })->first);
  });
  return true;
}

// Many are sorted, in buckets; what is missing comes last.
template <class T>
void count_sorted(Type type, const T* values, std::size_t rows, const std::vector<double>& shares, Workers threads,
                  Distribution& result) {
  const SortKeys keys({SortColumn{type, values}}, rows, threads);
  auto buckets = share_out_by_keys<std::uint64_t>(keys, rows, threads);
  const std::size_t most = buckets.greatest(), workers = static_cast<std::size_t>(std::max<int>(threads, 1));
  std::vector<Buffer<std::uint64_t>> spare;
  for (std::size_t worker = 0; worker < workers; ++worker) spare.emplace_back(most);
  std::vector<std::size_t> different(buckets.count(), 0);
  run_pieces(buckets.count(), threads, [&](int worker, std::size_t b) {
    std::uint64_t* const first = buckets.rows.data() + buckets.starts[b];
    const std::size_t count = buckets.starts[b + 1] - buckets.starts[b];
    sort_keyed_rows(first, spare[worker].data(), count);
    for (std::size_t i = 0; i < count; ++i) different[b] += i == 0 || first[i] != first[i - 1];
  });
  result.known = rows - keys.missing_rows();
  for (const std::size_t count : different) result.different += count;
  result.different -= keys.missing_rows() > 0;
  if (type != Type::long_integer) {
    const MeanAndVariance found = mean_and_variance(type, values, rows, threads);
    result.mean = found.mean;
    result.variance = found.squares / (static_cast<double>(result.known) - 1);
  } else {
    long double sum = 0, squares = 0;
    for (std::size_t i = 0; i < rows; ++i) sum += is_missing(values[i]) ? 0 : static_cast<long double>(values[i]);
    const long double mean = sum / result.known;
    for (std::size_t i = 0; i < rows; ++i)
      squares += is_missing(values[i]) ? 0 : (values[i] - mean) * (values[i] - mean);
    result.mean = static_cast<double>(mean);
    result.variance = static_cast<double>(squares / (result.known - 1.0L));
  }
  set_quantiles(result, shares,
                [&](std::size_t place) { return static_cast<double>(keys.value<T>(buckets.rows[place])); });
}

template <class T>
Distribution distribution_of(Type type, const T* values, std::size_t rows, const std::vector<double>& shares,
                             Workers threads) {
  Distribution result;
  if (rows == 0) return result;
  if ((rows < few || seem_few(type, values, rows, few)) && count_few(values, rows, shares, threads, result))
    return result;
  result = Distribution();
  count_sorted(type, values, rows, shares, threads, result);
  return result;
}

}  // namespace

Distribution distribution(Type type, const void* values, std::size_t rows, const std::vector<double>& shares,
                          Workers threads) {
  switch (type) {
    case Type::real: return distribution_of(type, static_cast<const double*>(values), rows, shares, threads);
    case Type::long_integer:
      return distribution_of(type, static_cast<const std::int64_t*>(values), rows, shares, threads);
    default: return distribution_of(type, static_cast<const std::int32_t*>(values), rows, shares, threads);
  }
}

}  // namespace rowanroot
