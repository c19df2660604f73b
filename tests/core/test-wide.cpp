// Columns side by side, and the nearest of sorted keys, beside slow ways.

#include <algorithm>
#include <cmath>
#include <limits>
#include <cstring>
#include <random>
#include <vector>

#include "check.h"
#include "moving.h"
#include "wide.h"

using namespace rowanroot;

namespace {

const double unknown = std::numeric_limits<double>::quiet_NaN();
const double infinity = std::numeric_limits<double>::infinity();

std::vector<double> some_values(std::mt19937& random, std::size_t count, bool with_unknown = true) {
  const std::vector<double> values = {-infinity, -2, -1, 0, 0.5, 1, 3, infinity, unknown};
  std::uniform_int_distribution<std::size_t> pick(0, values.size() - (with_unknown ? 1 : 2));
  std::vector<double> result(count);
  for (double& value : result) value = values[pick(random)];
  return result;
}

}  // namespace

TEST("the greatest and the least of a row are found where they come first") {
  std::mt19937 random(3);
  for (const std::size_t rows : {0, 1, 1000, 40000}) {
    std::vector<std::vector<double>> columns;
    for (int k = 0; k < 5; ++k) columns.push_back(some_values(random, rows));
    std::vector<const double*> addresses;
    for (const std::vector<double>& column : columns) addresses.push_back(column.data());
    for (bool greatest : {true, false}) for (bool skip : {true, false}) {
      std::vector<std::int32_t> found(rows);
      number_of_end(addresses, rows, greatest, skip, 2, found.data());
      bool same = true;
      for (std::size_t i = 0; i < rows; ++i) {
        std::int32_t expected = missing_integer;
        double best = 0;
        bool all_known = true;
        for (std::size_t k = 0; k < columns.size(); ++k) {
          const double value = columns[k][i];
          if (std::isnan(value)) all_known = false;
          else if (expected == missing_integer || (greatest ? value > best : value < best)) {
            best = value;
            expected = static_cast<std::int32_t>(k + 1);
          }
        }
        if (!all_known && !skip) expected = missing_integer;
        same = same && found[i] == expected;
      }
      CHECK(same);
    }
  }
}

TEST("numbers near the largest of all are compared as they are") {
  const std::vector<double> first = {1e308, -1.5e308}, second = {1.5e308, -1e308};
  for (bool greatest : {true, false}) {
    std::int32_t found[2];
    number_of_end({first.data(), second.data()}, 2, greatest, false, 1, found);
    CHECK(found[0] == (greatest ? 2 : 1) && found[1] == (greatest ? 2 : 1));
  }
}

TEST("the nearest keys are those that a look at all of them finds") {
  std::mt19937 random(4);
  for (const std::size_t rows : {0, 5, 20000}) for (const std::size_t size : {0, 1, 2, 7, 64})
  for (bool grouped : {false, true}) {
    std::vector<double> table;
    std::vector<std::size_t> starts = {0};
    for (std::size_t g = 0; g < (grouped ? 3u : 1u); ++g) {
      for (std::size_t k = 0; k < size; ++k) table.push_back(static_cast<double>(k * 2) - 20);
      starts.push_back(table.size());
    }
    std::uniform_int_distribution<int> number(-25, 130), group(-1, 2);
    std::vector<double> keys(rows);
    std::vector<std::int32_t> groups(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      keys[i] = i % 50 == 7 ? unknown : number(random);
      groups[i] = group(random);
    }
    for (bool after : {false, true}) {
      std::vector<std::int32_t> found(rows);
      nearest(table.data(), starts, keys.data(), grouped ? groups.data() : nullptr, rows, after, 2, found.data());
      bool same = true;
      for (std::size_t i = 0; i < rows; ++i) {
        std::int32_t expected = -1;
        const std::int32_t g = grouped ? groups[i] : 0;
        for (std::size_t k = g < 0 ? 0 : starts[g]; g >= 0 && k < starts[g + 1]; ++k) {
          if (after && table[k] >= keys[i] && expected < 0) expected = static_cast<std::int32_t>(k);
          if (!after && table[k] <= keys[i]) expected = static_cast<std::int32_t>(k);
        }
        same = same && found[i] == expected;
      }
      CHECK(same);
    }
  }
}

TEST("columns become one, and values are repeated, in their order") {
  const std::size_t rows = 70000;
  std::vector<std::int32_t> a(rows), b(rows), both(2 * rows), twice(2 * rows);
  for (std::size_t i = 0; i < rows; ++i) {
    a[i] = static_cast<std::int32_t>(i);
    b[i] = -a[i];
  }
  interleave<std::int32_t>({a.data(), b.data()}, rows, 2, both.data());
  repeat_each(a.data(), rows, 2, 2, twice.data());
  bool same = true;
  for (std::size_t i = 0; i < rows; ++i)
    same = same && both[2 * i] == a[i] && both[2 * i + 1] == b[i] && twice[2 * i] == a[i] && twice[2 * i + 1] == a[i];
  CHECK(same);
}

TEST("windows are what their values come to, whatever they have, by any number of threads") {
  std::mt19937 random(5);
  const std::size_t rows = 200000;
  std::vector<double> values = some_values(random, rows);
  for (std::size_t i = 0; i < rows; ++i)
    if (i % 5 == 0) values[i] = static_cast<double>(i % 97) / 8;
  for (double& value : values)
    if (std::isinf(value)) value = 8;
  Sequence sequence;
  sequence.rows = rows;
  Window window;
  window.before = 6;
  window.after = 4;
  window.complete = false;
  window.skip = true;
  for (const Moving what : {Moving::total, Moving::mean, Moving::least, Moving::greatest, Moving::deviation,
                            Moving::median, Moving::count}) {
    std::vector<double> one(rows), two(rows);
    sequence.threads = 1;
    moving(what, window, values.data(), sequence, one.data());
    sequence.threads = 2;
    moving(what, window, values.data(), sequence, two.data());
    CHECK(std::memcmp(one.data(), two.data(), rows * sizeof(double)) == 0);
    bool same = true;
    // Among them the first rows, the last, and those around the place where threads take turns.
    for (std::size_t i = 0; i < rows; i += (i < 100 || i > rows - 100 || (i > 65500 && i < 65600)) ? 1 : 37) {
      std::vector<double> known;
      for (std::size_t k = i < 6 ? 0 : i - 6; k < std::min(rows, i + 5); ++k)
        if (values[k] == values[k]) known.push_back(values[k]);
      std::sort(known.begin(), known.end());
      const std::size_t n = known.size();
      double sum = 0, squares = 0;
      for (double value : known) sum += value;
      for (double value : known) squares += (value - sum / n) * (value - sum / n);
      double expected = what == Moving::count ? static_cast<double>(n) : unknown;
      if (what == Moving::deviation && n > 1) expected = std::sqrt(squares / (n - 1));
      if (n > 0 && what == Moving::total) expected = sum;
      if (n > 0 && what == Moving::mean) expected = sum / n;
      if (n > 0 && what == Moving::least) expected = known.front();
      if (n > 0 && what == Moving::greatest) expected = known.back();
      if (n > 0 && what == Moving::median) expected = (known[(n - 1) / 2] + known[n / 2]) / 2;
      same = same && (std::isnan(expected) ? std::isnan(one[i]) : std::fabs(one[i] - expected) <= 1e-9);
    }
    CHECK(same);
  }
}
