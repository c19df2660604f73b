#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <random>
#include <stdexcept>

#include "aggregate.h"
#include "check.h"
#include "filter.h"
#include "groups.h"
#include "matches.h"
#include "text_numbering.h"

using namespace rowanroot;

namespace {

const double infinity = std::numeric_limits<double>::infinity();

bool missing(double value) {
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  return value != value && static_cast<std::uint32_t>(bits) == 1954;
}

}  // namespace

namespace {

struct Groups {
  std::vector<std::int32_t> of_row;
  std::size_t count;
};

Groups groups_of(Type type, const void* values, std::size_t rows) {
  Groups groups{std::vector<std::int32_t>(rows), 0};
  groups.count = group_by(type, values, rows, 3, groups.of_row.data());
  return groups;
}

}  // namespace

TEST("groups are numbered as they first appear, missing values among them") {
  const std::vector<std::int32_t> near = {7, missing_integer, 7, -2, missing_integer};
  const Groups by_near = groups_of(Type::integer, near.data(), near.size());
  CHECK((by_near.of_row == std::vector<std::int32_t>{0, 1, 0, 2, 1}) && by_near.count == 3);
  const std::vector<std::int32_t> far = {2147483647, -2147483647, 0, 2147483647, missing_integer};
  CHECK((groups_of(Type::integer, far.data(), far.size()).of_row == std::vector<std::int32_t>{0, 1, 2, 0, 3}));
  const std::vector<double> reals = {0.0, -0.0, missing_real(), std::nan(""), missing_real(), 1e-300};
  CHECK((groups_of(Type::real, reals.data(), reals.size()).of_row == std::vector<std::int32_t>{0, 0, 1, 2, 1, 3}));
  const std::vector<std::int32_t> second = {1, 1, 2, 1, 2};
  std::vector<std::int32_t> further = by_near.of_row;
  CHECK(group_further(further.data(), Type::integer, second.data(), 5, 2, further.data()) == 5);
  CHECK((further == std::vector<std::int32_t>{0, 1, 2, 3, 4}));
  CHECK(groups_of(Type::real, nullptr, 0).count == 0);
}

TEST("many groups are found as a map finds them") {
  std::mt19937 random(5);
  std::vector<double> values(50000);
  for (double& value : values) value = static_cast<double>(random() % 20000) / 7;
  const Groups groups = groups_of(Type::real, values.data(), values.size());
  std::map<double, std::int32_t> numbers;
  bool all = true;
  for (std::size_t i = 0; i < values.size(); ++i)
    all =
        all && numbers.emplace(values[i], static_cast<std::int32_t>(numbers.size())).first->second == groups.of_row[i];
  CHECK(all && groups.count == numbers.size());
}

TEST("aggregates of a column are those of its only group, by any number of threads") {
  std::mt19937 random(6);
  std::vector<double> values(10007);
  for (double& value : values) value = std::normal_distribution<>(1e6, 3)(random);
  values[17] = missing_real();
  const std::vector<std::int32_t> one(values.size(), 0);
  for (Aggregate what : {Aggregate::sum, Aggregate::mean, Aggregate::variance, Aggregate::least, Aggregate::greatest,
                         Aggregate::known}) {
    const double whole = aggregate(what, Type::real, values.data(), values.size(), true, 1);
    CHECK(whole == aggregate(what, Type::real, values.data(), values.size(), true, 3));
    const double grouped =
        aggregate_groups(what, Type::real, values.data(), values.size(), true, one.data(), 1, 2).at(0);
    CHECK(std::fabs(whole - grouped) <= 1e-9 * std::fabs(whole));
    if (what != Aggregate::known) CHECK(missing(aggregate(what, Type::real, values.data(), values.size(), false, 2)));
  }
  const MeanAndVariance found = mean_and_variance(Type::real, values.data(), values.size(), 2);
  CHECK(found.known == 10006 && std::fabs(found.squares / 10005 - 9) < 0.5);
  CHECK(std::fabs(found.squares / 10005 -
                  aggregate(Aggregate::variance, Type::real, values.data(), values.size(), true, 1)) < 1e-12);
}

TEST("an offset that all values share costs no digits, and a constant has no deviation") {
  std::mt19937 random(7);
  for (const double offset : {0.0, 1e9, -1e15, 4503599627370496.0}) {
    std::vector<double> values(20011);
    long double sum = 0;
    for (double& value : values) sum += value = offset + static_cast<double>(random() % 10);
    const double mean = static_cast<double>(sum / static_cast<long double>(values.size()));
    long double squares = 0;
    for (double value : values) squares += (value - mean) * (value - mean);
    const double variance = static_cast<double>(squares / static_cast<long double>(values.size() - 1));
    const std::vector<std::int32_t> one(values.size(), 0);
    CHECK(aggregate(Aggregate::mean, Type::real, values.data(), values.size(), true, 2) == mean);
    CHECK(aggregate_groups(Aggregate::mean, Type::real, values.data(), values.size(), true, one.data(), 1, 2).at(0) ==
          mean);
    CHECK(std::fabs(aggregate(Aggregate::variance, Type::real, values.data(), values.size(), true, 2) / variance - 1) <
          1e-14);
    CHECK(std::fabs(
              aggregate_groups(Aggregate::variance, Type::real, values.data(), values.size(), true, one.data(), 1, 2)
                      .at(0) /
                  variance -
              1) < 1e-14);
    const std::vector<double> constant(5001, offset + 0.1);
    CHECK(aggregate(Aggregate::mean, Type::real, constant.data(), constant.size(), true, 2) == constant[0]);
    CHECK(aggregate(Aggregate::variance, Type::real, constant.data(), constant.size(), true, 2) == 0);
  }
}

TEST("aggregates of nothing, and of whole numbers") {
  CHECK(aggregate(Aggregate::sum, Type::real, nullptr, 0, false, 1) == 0);
  CHECK(std::isnan(aggregate(Aggregate::mean, Type::real, nullptr, 0, false, 1)));
  CHECK(missing(aggregate(Aggregate::variance, Type::real, nullptr, 0, false, 1)));
  CHECK(aggregate(Aggregate::least, Type::real, nullptr, 0, false, 1) == HUGE_VAL);
  const std::vector<std::int32_t> whole = {2147483647, 2147483647, missing_integer};
  CHECK(aggregate(Aggregate::sum, Type::integer, whole.data(), 3, true, 1) == 4294967294.0);
  CHECK(missing(aggregate(Aggregate::sum, Type::integer, whole.data(), 3, false, 1)));
  CHECK(throws<std::invalid_argument>([] { aggregate_of_name("total"); }));
}

TEST("a filter keeps the rows where the condition is true, in their order, by any number of threads") {
  std::mt19937 random(8);
  const std::size_t rows = 200003;
  for (const unsigned one_of : {2, 15, 20, 5000, 1000000}) {
    std::vector<std::int32_t> condition(rows), numbers(rows), expected;
    for (std::size_t i = 0; i < rows; ++i) {
      condition[i] = random() % 3 == 0 ? missing_integer : static_cast<std::int32_t>(random() % one_of == 0);
      numbers[i] = static_cast<std::int32_t>(i);
      if (condition[i] == 1) expected.push_back(numbers[i]);
    }
    for (int threads : {1, 2, 3}) {
      const Filter filter(condition.data(), rows, threads);
      std::vector<std::int32_t> kept(filter.kept());
      filter.keep(Type::integer, numbers.data(), kept.data());
      CHECK(kept == expected);
    }
  }
  CHECK(Filter(nullptr, 0, 1).kept() == 0);
}

TEST("few groups are found where they are few, and given up where they are not") {
  const std::size_t rows = 100000;
  std::vector<double> few(rows), many(rows);
  std::vector<std::int32_t> of_row(rows), all(rows);
  std::mt19937_64 random(5);
  for (std::size_t i = 0; i < rows; ++i) {
    few[i] = static_cast<double>(random() % 5000) / 10;
    // Equal wherever a sample looks.
    many[i] = i % (rows / 4096) == 0 ? 0 : static_cast<double>(i);
  }
  CHECK(seem_few(Type::real, few.data(), rows, 65536));
  CHECK(seem_few(Type::real, many.data(), rows, 65536));
  for (int threads : {1, 2}) {
    const std::size_t different = group_few(Type::real, few.data(), rows, 65536, threads, of_row.data());
    CHECK(different == group_by(Type::real, few.data(), rows, 1, all.data()));
    CHECK(of_row == all);
    CHECK(group_few(Type::real, many.data(), rows, 30000, threads, of_row.data()) == 0);
    const RowVector<std::int32_t> sizes = group_sizes(all.data(), rows, different, threads);
    CHECK(std::accumulate(sizes.begin(), sizes.end(), std::size_t(0)) == rows);
    CHECK(sizes[0] == std::count(few.begin(), few.end(), few[0]));
  }
  for (std::size_t i = 0; i < rows; ++i) many[i] = static_cast<double>(i);
  CHECK(!seem_few(Type::real, many.data(), rows, 65536));
}

TEST("texts are grouped by what they are, and numbered as they come") {
  constexpr std::size_t rows = 40000;
  std::vector<std::string> different;
  for (std::size_t k = 0; k < 3000; ++k) different.push_back("hive " + std::to_string(k * 7));
  std::vector<const void*> column(rows);
  std::vector<std::int32_t> expected(rows), found(rows);
  TextNumbering numbers;
  std::map<std::size_t, std::int32_t> seen;
  for (std::size_t i = 0; i < rows; ++i) {
    const std::size_t k = (i * i + i / 7) % different.size();
    column[i] = &different[k];
    expected[i] = seen.emplace(k, static_cast<std::int32_t>(seen.size())).first->second;
    CHECK(numbers.number(different[k]) == expected[i] + 1);
  }
  for (int threads : {1, 2}) {
    CHECK(group_by(Type::text, column.data(), rows, threads, found.data()) == seen.size());
    CHECK(found == expected);
  }
}

TEST("values are found where the table has them first, of every type, few rows and many") {
  std::mt19937_64 random(31);
  for (const std::size_t rows : {0, 10, 70000, 200000}) {
    std::vector<double> real(rows), real_table = {3.5, missing_real(), -1, 3.5, std::nan(""), 0, 12};
    std::vector<std::int32_t> whole(rows), table = {7, missing_integer, -4, 7, 100};
    std::vector<std::int64_t> big(rows), big_table = {std::int64_t(1) << 60, missing_long_integer, -3};
    for (std::size_t i = 0; i < rows; ++i) {
      const std::size_t at = random() % 9;
      real[i] = at < real_table.size() ? real_table[at] : 0.25;
      whole[i] = at < table.size() ? table[at] : static_cast<std::int32_t>(random() % 300) - 100;
      big[i] = at < big_table.size() ? big_table[at] : static_cast<std::int64_t>(at);
    }
    const auto check_found = [&](Type type, const auto& column, const auto& keys) {
      std::vector<std::int32_t> found(rows);
      find_places(type, column.data(), rows, keys.data(), keys.size(), 2, found.data());
      const auto equal = [](auto a, auto b) {
        double c = static_cast<double>(a), d = static_cast<double>(b);
        return a == b || (c != c && d != d && missing(c) == missing(d));
      };
      bool right = true;
      for (std::size_t i = 0; i < rows; ++i) {
        std::int32_t expected = missing_integer;
        for (std::size_t k = keys.size(); k-- > 0;)
          if (equal(column[i], keys[k])) expected = static_cast<std::int32_t>(k) + 1;
        right = right && found[i] == expected;
      }
      CHECK(right);
    };
    check_found(Type::real, real, real_table);
    check_found(Type::integer, whole, table);
    check_found(Type::long_integer, big, big_table);
  }
}

TEST("whole numbers that lie close together are groups as others are, wherever they begin and whatever is missing") {
  std::mt19937 random(8);
  for (std::int32_t low : {-3, 0, 5}) for (bool gaps : {false, true}) for (bool some_missing : {false, true}) {
    std::vector<std::int32_t> values(5000);
    for (std::int32_t& value : values) {
      value = low + static_cast<std::int32_t>(random() % 40) * (gaps ? 2 : 1);
      if (some_missing && random() % 50 == 0) value = missing_integer;
    }
    // With a value that comes late, not all are among the first rows.
    if (gaps) values.back() = low + 1;
    std::vector<std::int32_t> expected(values.size());
    std::vector<std::int32_t> seen, sizes, first;
    for (std::size_t i = 0; i < values.size(); ++i) {
      const std::size_t g = std::find(seen.begin(), seen.end(), values[i]) - seen.begin();
      if (g == seen.size()) {
        seen.push_back(values[i]);
        sizes.push_back(0);
        first.push_back(static_cast<std::int32_t>(i));
      }
      expected[i] = static_cast<std::int32_t>(g);
      ++sizes[g];
    }
    for (int threads : {1, 3}) {
      std::vector<std::int32_t> of_row(values.size(), -1);
      CHECK(group_by(Type::integer, values.data(), values.size(), threads, of_row.data()) == seen.size());
      CHECK(of_row == expected);
      const Extent extent = extent_of(values.data(), values.size(), threads);
      CHECK(extent.low == low && extent.range() > 20 && extent.range() < 100 && extent.has_missing == some_missing);
      CHECK(extent.are_groups() == (low >= 0 && !some_missing));
      group_by_value(values.data(), values.size(), extent, threads, of_row.data());
      bool by_value = true;
      for (std::size_t i = 0; i < values.size(); ++i) {
        const bool is_last = of_row[i] == static_cast<std::int32_t>(extent.range());
        by_value = by_value && (values[i] == missing_integer ? is_last : of_row[i] == values[i] - low);
      }
      CHECK(by_value);
      if (!extent.are_groups()) continue;
      const PresentGroups found = present_groups(values.data(), values.size(), 100, threads);
      CHECK(std::equal(seen.begin(), seen.end(), found.place.begin(), found.place.end()));
      CHECK(std::equal(sizes.begin(), sizes.end(), found.sizes.begin(), found.sizes.end()));
      CHECK(std::equal(first.begin(), first.end(), found.first.begin(), found.first.end()));
    }
  }
}

TEST("sums of groups are R's where a pair of doubles does not hold them, and what is unknown is of its group only") {
  // The first group comes to 1, or, in long double, to 0, the second to Inf less Inf; the others are plain.
  const std::vector<double> values = {1e300, 5, 1, infinity, -1e300, 6, -infinity, missing_real(), 8, std::nan("")};
  const std::vector<std::int32_t> groups = {0, 2, 0, 1, 0, 2, 1, 3, 4, 4};
  const GroupSums sums = sums_of_groups(Type::real, values.data(), values.size(), false, groups.data(), 5, 2);
  CHECK((sums.sum[0] == 0 || sums.sum[0] == 1) && std::isnan(sums.sum[1]) && sums.sum[2] == 11);
  CHECK(sums.mean[2] == 5.5 && sums.known[2] == 2 && sums.known[4] == 1);
  CHECK(sums.unknown[2] == 0 && missing(sums.unknown[3]) && std::isnan(sums.unknown[4]) && !missing(sums.unknown[4]));
  const std::vector<double> large = {1e308, 1e308, -1e308, 2};
  const std::vector<std::int32_t> one = {1, 1, 1, 0};
  const GroupSums of_large = sums_of_groups(Type::real, large.data(), 4, false, one.data(), 2, 1);
  CHECK(of_large.sum[0] == 2 && of_large.sum[1] == 1e308);
  for (bool least : {false, true}) for (bool skip : {false, true}) {
    const RowVector<double> found =
        aggregate_groups(least ? Aggregate::least : Aggregate::greatest, Type::real, values.data(), values.size(), skip,
                         groups.data(), 5, 1);
    CHECK(found[0] == (least ? -1e300 : 1e300) && found[1] == (least ? -infinity : infinity));
    CHECK(found[2] == (least ? 5 : 6) && (skip ? found[3] == (least ? infinity : -infinity) : missing(found[3])));
    CHECK(skip ? found[4] == 8 : std::isnan(found[4]) && !missing(found[4]));
  }
}

TEST("rows that match are those that a loop over both tables finds") {
  std::mt19937 random(5);
  for (int round = 0; round < 300; ++round) {
    std::vector<std::int32_t> keys(random() % 40), table(random() % 30);
    for (auto* numbers : {&keys, &table})
      for (std::int32_t& number : *numbers)
        number = random() % 6 ? static_cast<std::int32_t>(1 + random() % (round % 9 + 1)) : missing_integer;
    const bool stay = random() % 2;
    std::vector<std::int32_t> own, theirs, left, several;
    std::vector<bool> has_partner(table.size());
    for (std::size_t i = 0; i < keys.size(); ++i) {
      std::size_t found = 0;
      for (std::size_t k = 0; k < table.size(); ++k) {
        if (keys[i] == missing_integer || keys[i] != table[k]) continue;
        own.push_back(static_cast<std::int32_t>(i));
        theirs.push_back(static_cast<std::int32_t>(k) + 1);
        has_partner[k] = true;
        ++found;
      }
      if (found > 1) several.push_back(static_cast<std::int32_t>(i));
      if (found || !stay) continue;
      own.push_back(static_cast<std::int32_t>(i));
      theirs.push_back(missing_integer);
    }
    for (std::size_t k = 0; k < table.size(); ++k)
      if (!has_partner[k]) left.push_back(static_cast<std::int32_t>(k) + 1);
    const Matches matches(keys.data(), keys.size(), table.data(), table.size());
    std::vector<std::int32_t> mine(matches.pairs(stay)), others(matches.pairs(stay));
    matches.fill(stay, mine.data(), others.data());
    CHECK(mine == own && others == theirs && matches.left() == left && matches.several() == several.size());
    CHECK(several.empty() || matches.first_of_several() == static_cast<std::size_t>(several[0]));
    std::vector<std::int32_t> all(keys.size());
    std::iota(all.begin(), all.end(), 0);
    CHECK(matches.are_once(stay) == (own == all));
  }
  const std::int32_t first[] = {1, 2, missing_integer, 2}, second[] = {3, 1, 2, missing_integer};
  double pairs[4];
  pair_numbers(first, second, 4, 3, pairs);
  CHECK(pairs[0] == 6 && pairs[1] == 7 && missing(pairs[2]) && missing(pairs[3]));
}
