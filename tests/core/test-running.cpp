// Running words, neighbours and gathered rows beside slow ways that look at every row of the group.
#include "running.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>
#include <random>

#include "beyond.h"
#include "check.h"
#include "gather.h"
#include "moving.h"

using namespace rowanroot;

namespace {

constexpr std::size_t group_count = 40;

struct Rows {
  std::vector<double> real;
  std::vector<std::int32_t> whole, group, steps, order;
  std::vector<std::int64_t> big;

  explicit Rows(std::size_t rows, unsigned seed) : order(rows) {
    std::mt19937 random(seed);
    for (std::size_t i = 0; i < rows; ++i) {
      const double value = static_cast<double>(random() % 4000) / 16 - 100;
      real.push_back(random() % 8 == 0 ? missing_real() : random() % 20 == 0 ? std::nan("") : value);
      whole.push_back(random() % 8 == 0 ? missing_integer : static_cast<std::int32_t>(random() % 2001) - 1000);
      big.push_back(random() % 8 == 0 ? missing_long_integer : static_cast<std::int64_t>(random()) * 4096 - 5);
      group.push_back(static_cast<std::int32_t>(random() % group_count));
      steps.push_back(static_cast<std::int32_t>(random() % 9));
    }
    std::iota(order.begin(), order.end(), 0);
    std::stable_sort(order.begin(), order.end(), [&](std::int32_t a, std::int32_t b) {
      return steps[static_cast<std::size_t>(a)] < steps[static_cast<std::size_t>(b)];
    });
  }
};

// In which order rows are visited, and whether they are in groups.
struct Way {
  bool grouped, ordered, by_steps;
  int threads;
};

const std::vector<Way> ways = {{false, false, false, 1}, {true, false, false, 1}, {false, true, false, 2},
                               {true, true, false, 3},   {true, false, true, 2},  {false, false, true, 1}};

Sequence sequence_of(const Rows& all, const Way& way) {
  Sequence sequence;
  sequence.rows = all.group.size();
  if (way.grouped) sequence.group_of_row = all.group.data(), sequence.groups = group_count;
  if (way.ordered) sequence.order = all.order.data();
  if (way.by_steps) sequence.step_of_row = all.steps.data(), sequence.steps = 9;
  sequence.threads = way.threads;
  return sequence;
}

// The rows of each group, in order.
std::vector<std::vector<std::size_t>> rows_of_groups(const Rows& all, const Way& way) {
  std::vector<std::vector<std::size_t>> rows(group_count);
  for (std::size_t k = 0; k < all.group.size(); ++k) {
    const std::size_t row = way.ordered || way.by_steps ? static_cast<std::size_t>(all.order[k]) : k;
    rows[way.grouped ? static_cast<std::size_t>(all.group[row]) : 0].push_back(row);
  }
  return rows;
}

template <class T>
bool is_unknown(T value) { return value == std::numeric_limits<T>::min(); }
bool is_unknown(double value) { return std::isnan(value); }

// What known values come to.
double come_to(const std::string& word, const std::vector<long double>& known) {
  const long double total = std::accumulate(known.begin(), known.end(), 0.0L);
  if (word == "count") return static_cast<double>(known.size());
  if (word == "total") return static_cast<double>(total);
  if (word == "product") {
    long double product = 1;
    for (long double value : known) product *= value;
    return static_cast<double>(product);
  }
  if (known.empty()) return missing_real();
  if (word == "mean") return static_cast<double>(total / static_cast<long double>(known.size()));
  return static_cast<double>(word == "least" ? *std::min_element(known.begin(), known.end())
                                             : *std::max_element(known.begin(), known.end()));
}

// A missing value, or NaN.
double unknown_value(double value) { return value; }
template <class T>
double unknown_value(T) { return missing_real(); }

template <class T>
std::vector<double> slowly(const std::string& word, const std::string& missing, const std::vector<T>& values,
                           const std::vector<std::vector<std::size_t>>& groups) {
  std::vector<double> result(values.size());
  for (const auto& rows : groups) {
    std::vector<long double> known;
    const T* stopped_by = nullptr;
    for (std::size_t row : rows) {
      const bool unknown = is_unknown(values[row]);
      if (unknown && missing == "stop" && !stopped_by) stopped_by = &values[row];
      if (!unknown && !stopped_by) known.push_back(static_cast<long double>(values[row]));
      result[row] = stopped_by                     ? unknown_value(*stopped_by)
                    : unknown && missing == "skip" ? unknown_value(values[row])
                                                   : come_to(word, known);
    }
  }
  return result;
}

// A missing value is not NaN.
bool same(const std::vector<double>& a, const std::vector<double>& b) {
  bool result = a.size() == b.size();
  for (std::size_t i = 0; result && i < a.size(); ++i)
    result = std::isnan(a[i]) ? std::memcmp(&a[i], &b[i], sizeof(double)) == 0 : a[i] == b[i];
  return result;
}

const std::vector<std::string> words = {"total", "mean", "count", "least", "greatest", "product"};
const std::vector<std::string> at_missing = {"skip", "carry", "stop"};

template <class T>
void check_running(Type type, const std::vector<T>& values, const Rows& all) {
  for (const Way& way : ways) for (const auto& word : words) for (const auto& missing : at_missing) {
    RunningState so_far;
    std::vector<double> found(values.size());
    running(running_of_name(word), at_missing_of_name(missing), type, values.data(), sequence_of(all, way), so_far,
            found.data());
    CHECK(same(found, slowly(word, missing, values, rows_of_groups(all, way))));
  }
}

template <class T>
std::vector<double> as_doubles(const std::vector<T>& values) {
  std::vector<double> result;
  for (T value : values) result.push_back(is_unknown(value) ? missing_real() : static_cast<double>(value));
  return result;
}

template <class T>
void check_whole(const std::vector<T>& values, const Rows& all) {
  for (const Way& way : ways) for (const char* word : {"total", "least", "greatest", "count"})
    for (const auto& missing : at_missing) {
      RunningState so_far;
      std::vector<T> found(values.size());
      CHECK(running_integers(running_of_name(word), at_missing_of_name(missing), values.data(), sequence_of(all, way),
                             so_far, found.data()) == values.size());
      CHECK(same(as_doubles(found), slowly(word, missing, values, rows_of_groups(all, way))));
    }
}

}  // namespace

TEST("running words are what the rows up to each one come to") {
  const Rows all(600, 21);
  within_and_beyond_memory([&] {
    check_running(Type::real, all.real, all);
    check_running(Type::integer, all.whole, all);
    check_running(Type::long_integer, all.big, all);
    check_whole(all.whole, all);
    check_whole(all.big, all);
  });
}

TEST("running words go on from the chunk before") {
  const Rows all(500, 22);
  const std::size_t half = 200;
  for (const auto& word : words) for (const auto& missing : at_missing) {
    RunningState so_far;
    std::vector<double> found(all.real.size());
    Sequence part = sequence_of(all, ways[1]);
    part.rows = half;
    running(running_of_name(word), at_missing_of_name(missing), Type::real, all.real.data(), part, so_far,
            found.data());
    part.rows = all.real.size() - half;
    part.group_of_row += half;
    running(running_of_name(word), at_missing_of_name(missing), Type::real, all.real.data() + half, part, so_far,
            found.data() + half);
    CHECK(same(found, slowly(word, missing, all.real, rows_of_groups(all, ways[1]))));
  }
}

TEST("a total too large for whole numbers is reported with its first row, and the rest of its group is missing") {
  const std::int32_t most = std::numeric_limits<std::int32_t>::max();
  const std::vector<std::int32_t> values = {1, most, most, 5, -7, most}, group = {0, 1, 0, 1, 1, 2};
  Sequence sequence;
  sequence.rows = values.size();
  sequence.group_of_row = group.data();
  sequence.groups = 3;
  RunningState so_far;
  std::vector<std::int32_t> found(values.size());
  CHECK(running_integers(Running::total, AtMissing::skip, values.data(), sequence, so_far, found.data()) == 2);
  CHECK(found == (std::vector<std::int32_t>{1, most, missing_integer, missing_integer, missing_integer, most}));
  // The least of all whole numbers stands for a missing one.
  const std::vector<std::int32_t> down = {-most, -1, 4};
  sequence.group_of_row = nullptr;
  sequence.groups = 1;
  sequence.rows = 3;
  RunningState other;
  CHECK(running_integers(Running::total, AtMissing::skip, down.data(), sequence, other, found.data()) == 1);
}

TEST("neighbours are so many rows away in their group, and rows are numbered in it") {
  const Rows all(400, 23);
  for (const Way& way : ways) {
    if (way.by_steps) continue;
    const auto groups = rows_of_groups(all, way);
    for (const std::int64_t by : {0, 1, 2, 7, 399, 400, 1000, -1, -2, -399, -400}) {
      std::vector<std::int32_t> found(all.group.size()), expected(all.group.size(), -1);
      neighbours(sequence_of(all, way), by, found.data());
      for (const auto& rows : groups) for (std::size_t k = 0; k < rows.size(); ++k) {
        const std::int64_t at = static_cast<std::int64_t>(k) - by;
        if (at >= 0 && at < static_cast<std::int64_t>(rows.size()))
          expected[rows[k]] = static_cast<std::int32_t>(rows[static_cast<std::size_t>(at)]);
      }
      CHECK(found == expected);
    }
    std::vector<std::int32_t> numbers(all.group.size());
    number_rows_of_groups(sequence_of(all, way), numbers.data());
    bool right = true;
    for (const auto& rows : groups) for (std::size_t k = 0; k < rows.size(); ++k)
      right = right && numbers[rows[k]] == static_cast<std::int32_t>(k + 1);
    CHECK(right);
  }
}

TEST("work on a sequence can be ended while it goes on") {
  const std::size_t rows = 200000;
  const std::vector<double> values(rows, 1);
  Sequence sequence;
  sequence.rows = rows;
  static int looked = 0;
  sequence.threads.look_up = [] { ++looked; };
  RunningState so_far;
  std::vector<double> result(rows);
  running(Running::total, AtMissing::skip, Type::real, values.data(), sequence, so_far, result.data());
  CHECK(looked == 4);
  CHECK(result.back() == static_cast<double>(rows));
}

TEST("gathered rows are those of the order, of narrow and wide columns, few and many") {
  std::mt19937_64 random(24);
  within_and_beyond_memory([&] {
    for (const std::size_t rows : {1, 500, 70001}) for (const std::size_t columns : {1, 2, 3, 9, 20}) {
      std::vector<std::vector<std::uint64_t>> wide(columns, std::vector<std::uint64_t>(rows));
      std::vector<std::vector<std::uint32_t>> narrow(columns, std::vector<std::uint32_t>(rows));
      for (auto& column : wide) for (auto& value : column) value = random();
      for (auto& column : narrow) for (auto& value : column) value = static_cast<std::uint32_t>(random());
      std::vector<std::int32_t> order(rows);
      std::iota(order.begin(), order.end(), 0);
      std::shuffle(order.begin(), order.end(), random);
      for (const std::size_t count : {rows, rows * 3 / 5, rows / 4}) for (const int threads : {1, 2}) {
        std::vector<std::vector<std::uint64_t>> to_wide(columns, std::vector<std::uint64_t>(count));
        std::vector<std::vector<std::uint32_t>> to_narrow(columns, std::vector<std::uint32_t>(count));
        std::vector<GatheredColumn> all;
        for (std::size_t k = 0; k < columns; ++k) {
          all.push_back({wide[k].data(), to_wide[k].data(), 8});
          all.push_back({narrow[k].data(), to_narrow[k].data(), 4});
        }
        gather(all, rows, order.data(), count, threads);
        bool right = true;
        for (std::size_t k = 0; k < columns; ++k) for (std::size_t i = 0; i < count; ++i) {
          const std::size_t from = static_cast<std::size_t>(order[i]);
          right = right && to_wide[k][i] == wide[k][from] && to_narrow[k][i] == narrow[k][from];
        }
        CHECK(right);
      }
    }
  });
}

TEST("rows that are counted from 1 are gathered, and missing ones are missing") {
  std::mt19937 random(25);
  const std::size_t rows = 300, count = 40000;
  std::vector<double> real(rows);
  std::vector<std::int32_t> whole(rows), wanted(count), found_whole(count);
  std::vector<double> found_real(count);
  for (std::size_t i = 0; i < rows; ++i) real[i] = static_cast<double>(i) / 3, whole[i] = static_cast<std::int32_t>(i);
  for (auto& row : wanted)
    row = random() % 5 == 0 ? missing_integer : static_cast<std::int32_t>(random() % rows) + 1;
  gather_known(Type::real, real.data(), wanted.data(), count, found_real.data(), 2);
  gather_known(Type::integer, whole.data(), wanted.data(), count, found_whole.data(), 2);
  bool right = true;
  for (std::size_t i = 0; i < count; ++i) {
    if (wanted[i] == missing_integer)
      right = right && is_missing(found_real[i]) && found_whole[i] == missing_integer;
    else
      right = right && found_real[i] == real[static_cast<std::size_t>(wanted[i]) - 1] &&
              found_whole[i] == wanted[i] - 1;
  }
  CHECK(right);
}

TEST("rows without a place along the scale have no window, whatever their value is") {
  const double none = missing_real();
  const std::vector<double> at = {1, 2, 4, none, none}, values = {3, 5, 8, 1, 2};
  std::vector<double> from, to = at;
  for (double place : at) from.push_back(place - 2);
  Sequence sequence;
  sequence.rows = at.size();
  Window window;
  window.at = at.data(), window.from = from.data(), window.to = to.data();
  window.complete = false;
  const std::vector<std::pair<Moving, std::vector<double>>> expected = {
      {Moving::count, {1, 2, 1}}, {Moving::total, {3, 8, 8}}, {Moving::least, {3, 3, 8}},
      {Moving::greatest, {3, 5, 8}}, {Moving::median, {3, 4, 8}}, {Moving::mean, {3, 4, 8}}};
  for (const auto& [what, known] : expected) for (bool skip : {false, true}) {
    window.skip = skip;
    std::vector<double> found(at.size(), 0);
    moving(what, window, values.data(), sequence, found.data());
    CHECK(std::equal(known.begin(), known.end(), found.begin()) && std::isnan(found[3]) && std::isnan(found[4]));
  }
}

TEST("windows along a scale are the same in a long group, which several threads share") {
  const std::size_t rows = 200000;
  std::vector<double> at(rows), from(rows), to(rows), values(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    at[i] = static_cast<double>(i / 2), from[i] = at[i] - 3, to[i] = at[i] + 1, values[i] = static_cast<double>(i % 7);
  }
  Sequence sequence;
  sequence.rows = rows;
  sequence.threads = 2;
  Window window;
  window.at = at.data(), window.from = from.data(), window.to = to.data();
  window.complete = false;
  std::vector<double> totals(rows, 0), least(rows, 0);
  moving(Moving::total, window, values.data(), sequence, totals.data());
  moving(Moving::least, window, values.data(), sequence, least.data());
  bool right = true;
  for (std::size_t i = 0; i < rows; ++i) {
    const std::size_t place = i / 2, first = place < 3 ? 0 : 2 * (place - 3), last = std::min(rows, 2 * (place + 1));
    double total = 0, low = 7;
    // An end may belong to the window or not, which the first row of all tells.
    std::size_t begin = window.with_to ? std::min(first + (place < 3 ? 0 : 2), rows) : first;
    std::size_t end = window.with_to ? std::min(rows, last + 2) : last;
    for (std::size_t k = begin; k < end; ++k) total += values[k], low = std::min(low, values[k]);
    right = right && totals[i] == total && least[i] == low;
  }
  CHECK(right);
}
