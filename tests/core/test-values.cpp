// Dates, times, remainders, powers, rounding and aggregates, each beside a slow way to the same.
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <limits>
#include <random>
#include <string>

#include "aggregate.h"
#include "calendar.h"
#include "check.h"
#include "csv_values.h"
#include "dates.h"
#include "distribution.h"
#include "moments.h"
#include "program.h"
#include "quantiles.h"

using namespace rowanroot;

namespace {

using Reals = std::vector<double>;
const double infinity = std::numeric_limits<double>::infinity();

double calculate(const char* operation, double a, double b) {
  Program program;
  const int left = program.add_input(Type::real), right = program.add_input(Type::real);
  program.add_output(program.add_operation(operation, {left, right}));
  double result;
  run_program(program, {&a, &b}, {&result}, 1, RunOptions(), [](std::size_t, std::size_t) {});
  return result;
}

bool same(double a, double b) { return std::isnan(a) ? std::isnan(b) : a == b; }

bool is_leap(int year) { return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0); }

int part(DatePart what, double day) {
  std::int32_t result;
  date_parts(what, &day, 1, 1, &result);
  return result;
}

// The values of one group that are known.
Reals known_of(const Reals& values, const std::vector<std::int32_t>& groups, std::int32_t group) {
  Reals known;
  for (std::size_t i = 0; i < values.size(); ++i)
    if (groups[i] == group && !std::isnan(values[i])) known.push_back(values[i]);
  return known;
}

}  // namespace

TEST("parts of days are those that one comes to by counting from 1970 to 2500 and back to 1500") {
  const int lengths[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  const auto length = [&](int year, int month) { return lengths[month - 1] + (month == 2 && is_leap(year)); };
  int year = 1500, month = 1, of_month = 1;
  bool fits = true;
  for (double day = -171664; year < 2501; ++day) {
    fits = fits && part(DatePart::year, day) == year && part(DatePart::month, day) == month;
    fits = fits && part(DatePart::day, day) == of_month && part(DatePart::quarter, day) == (month + 2) / 3;
    // The first of January 1970 was a Thursday.
    fits = fits && part(DatePart::weekday, day) == (static_cast<int>(day) % 7 + 10) % 7 + 1;
    if (++of_month > length(year, month)) of_month = 1, ++month;
    if (month <= 12) continue;
    CHECK(fits);
    month = 1, ++year;
  }
}

TEST("days far before and after are those that their parts lead back to") {
  for (std::int64_t day : {std::int64_t(-719469), std::int64_t(-719468), std::int64_t(-146097 - 719468),
                           std::int64_t(-2 * 146097 - 719468), std::int64_t(-1000000), std::int64_t(3000000)})
    for (std::int64_t near = day - 400; near <= day + 400; ++near) {
      const Civil date = civil_of(near);
      CHECK(days_of_date(date.year, date.month, date.day) == near && date.day >= 1 &&
            date.day <= days_of_month(date.year, date.month));
    }
}

TEST("periods begin and end where the days around them say") {
  for (double day = -2000; day < 2000; day += 1) {
    const auto edge = [&](const char* name, bool last) {
      double found;
      period_days(period_of_name(name), last, &day, 1, 1, &found);
      return found;
    };
    for (const char* name : {"year", "quarter", "month", "week", "day"}) {
      const double first = edge(name, false), last = edge(name, true);
      CHECK(first <= day && day <= last);
      const std::string period = name;
      if (period == "day") CHECK(first == day && last == day);
      if (period == "week") CHECK(part(DatePart::weekday, first) == 1 && last == first + 6);
      if (period != "day" && period != "week") {
        CHECK(part(DatePart::day, first) == 1 && part(DatePart::day, last + 1) == 1);
        const DatePart what = period == "year"    ? DatePart::year
                              : period == "month" ? DatePart::month
                                                  : DatePart::quarter;
        CHECK(part(what, first) == part(what, day) && part(what, last) == part(what, day) &&
              part(what, last + 1) != part(what, day) && part(what, first - 1) != part(what, day));
      }
    }
  }
}

TEST("the week of a day is that of its Thursday, whose year it counts") {
  for (double day = -30000; day < 30000; day += 3) {
    const double thursday = day - part(DatePart::weekday, day) + 4;
    double first = thursday;
    while (part(DatePart::year, first - 1) == part(DatePart::year, thursday)) --first;
    CHECK(part(DatePart::week, day) == static_cast<int>(thursday - first) / 7 + 1);
  }
  const double seconds[] = {86399.5, -0.5, missing_real()};
  std::int32_t days[3];
  date_parts(DatePart::day, seconds, 86400, 3, days);
  CHECK(days[0] == 1 && days[1] == 31 && days[2] == missing_integer);
}

TEST("months later, periods and months between are those of counting month by month") {
  for (double day : {-171664.0, -1.0, 0.0, 59.0, 11016.0, 20148.0}) {
    for (int months : {-25, -1, 0, 1, 12, 13, 4801}) {
      double later, by = months, back;
      add_months(&day, 1, 1, &by, 1, &later);
      const int from = part(DatePart::year, day) * 12 + part(DatePart::month, day);
      CHECK(part(DatePart::year, later) * 12 + part(DatePart::month, later) == from + months);
      const int of_month = part(DatePart::day, day), reached = part(DatePart::day, later);
      CHECK(reached == of_month || (reached < of_month && part(DatePart::day, later + 1) == 1));
      months_between(&day, 1, &later, 1, 1, 1, &back);
      CHECK(months < 0 || back == months);
    }
    for (Period period : {Period::year, Period::quarter, Period::month, Period::week, Period::day}) {
      double first, last, after;
      period_days(period, false, &day, 1, 1, &first);
      period_days(period, true, &day, 1, 1, &last);
      const double next = last + 1;
      period_days(period, false, &next, 1, 1, &after);
      CHECK(first <= day && day <= last && after == next);
      CHECK(period == Period::day || period == Period::week || part(DatePart::day, first) == 1);
    }
  }
  const double half[] = {86400 * 1.5, missing_real()}, month = 1, part_of_month = 0.5;
  double result[2];
  add_months(half, 86400, 2, &month, 1, result);
  CHECK(result[0] == 86400 * 32.5 && std::isnan(result[1]));
  add_months(half, 86400, 2, &part_of_month, 1, result);
  CHECK(std::isnan(result[0]));
}

TEST("times are read by their format, with blanks around them") {
  Moment moment;
  const auto seconds = [&](const char* format, const char* text) {
    return MomentReader(format).read(text, &moment) ? moment.value : infinity;
  };
  for (const char* blanks : {"", " ", "\t", "\n", "\r"}) {
    CHECK(seconds("%d/%m/%Y", (blanks + std::string("02/01/1970")).c_str()) == 86400);
  }
  CHECK(seconds("", "1970-01-02T00:00:01") == 86401);
  CHECK(seconds("%Y-%m-%d %H:%M:%OS", "1970-01-01 00:01:30.25") == 90.25);
  CHECK(seconds("", "1970-01-01 01:00+01:00") == 0 && moment.is_universal);
  CHECK(seconds("", "1970-01-01 01:00") == 3600 && !moment.is_universal);
  for (const char* bad : {"1970-02-30", "1970-13-01", "1970-00-01", "1970-01-00", "19700-01-01", "01970-01-01",
                          "1970-01-01x", "970-01-01"})
    CHECK(seconds("", bad) == infinity && seconds("%Y-%m-%d", bad) == infinity);
  CHECK(seconds("%H:%M %y-%m-%d", "24:01 70-01-01") == infinity);
  CHECK(seconds("%H:%M %y-%m-%d", "23:59 70-01-01") == 86340);
}

TEST("a remainder and a whole quotient are what floor() says, and belong together") {
  std::mt19937_64 random(7);
  for (int i = 0; i < 4000; ++i) {
    const double b = (static_cast<double>(random() % 2001) - 1000) / 8;
    const double a = (static_cast<double>(random() % 200001) - 100000) / 8;
    if (b == 0) continue;
    const double quotient = std::floor(a / b);
    CHECK(calculate("whole_divide", a, b) == quotient);
    CHECK(calculate("modulus", a, b) == a - quotient * b);
  }
  // Quotients that rounding takes past a whole number.
  for (int i = 0; i < 4000; ++i) {
    const std::int64_t b = static_cast<std::int64_t>(random() % 1000) + 3;
    const std::int64_t a = static_cast<std::int64_t>(random() % (1ull << 53)) - (1ll << 52);
    const std::int64_t quotient = a / b - (a % b < 0);
    const double left = static_cast<double>(a), right = static_cast<double>(b);
    CHECK(calculate("whole_divide", left, right) == static_cast<double>(quotient));
    CHECK(calculate("modulus", left, right) == static_cast<double>(a - quotient * b));
  }
  CHECK(calculate("whole_divide", 1, 0.1) == 9 && calculate("whole_divide", 0.3, 0.1) == 2);
  CHECK(calculate("modulus", 5, infinity) == 5 && calculate("modulus", -5, infinity) == infinity);
  CHECK(calculate("modulus", 0.5, -infinity) == -infinity && calculate("modulus", 1e300, 1e300) == 0);
  CHECK(calculate("modulus", 1e299, 1e300) == 1e299 && calculate("modulus", -1e299, 1e300) == 9e299);
  CHECK(std::isnan(calculate("modulus", 1, 0)) && calculate("whole_divide", 1, 0) == infinity);
  CHECK(calculate("whole_divide", 0, 3) == 0 && calculate("whole_divide", 0, -3) == 0);
  CHECK(calculate("whole_divide", -1, 3) == -1 && calculate("whole_divide", 1, -3) == -1);
}

TEST("powers are the standard library's, and 1 to the power of what is unknown is 1") {
  const Reals values = {-infinity, -3, -2, -1, -0.5, 0, 0.5, 1, 2, 3, infinity};
  for (double x : values)
    for (double y : values) {
      // As in R, also where C gives a number: what lies below zero has no root, and no limit.
      const bool has_none = x < 0 && (y != std::floor(y) || std::isinf(y));
      CHECK(same(calculate("power", x, y), has_none ? std::nan("") : std::pow(x, y)));
    }
  CHECK(calculate("power", 1, missing_real()) == 1 && calculate("power", missing_real(), 0) == 1);
  CHECK(std::isnan(calculate("power", 2, std::nan(""))) && std::isnan(calculate("power", -1, infinity)));
}

TEST("rounded numbers are the nearest that have so many digits") {
  std::mt19937_64 random(3);
  char text[400];
  for (int i = 0; i < 4000; ++i) {
    // No number of 17 binary places ends in a 5 where it is cut off but for ties, which are left out.
    const double x = (static_cast<double>(random() % 2000000) - 1000000) / 131072 + 1e-7;
    for (int digits : {-2, 0, 1, 3, 5}) {
      std::snprintf(text, sizeof text, "%.*f", std::max(digits, 0), digits < 0 ? std::nearbyint(x / 100) * 100 : x);
      CHECK(calculate("round", x, digits) == std::stod(text));
    }
    for (int digits : {1, 3, 6}) {
      std::snprintf(text, sizeof text, "%.*e", digits - 1, x);
      CHECK(std::fabs(calculate("round_significant", x, digits) - std::stod(text)) <= 1e-15 * std::fabs(x));
    }
  }
  CHECK(std::fabs(calculate("round_significant", 1.2345e307, 2) / 1.2e307 - 1) < 1e-14);
  CHECK(calculate("round_significant", 1234, -infinity) == 1000 && calculate("round_significant", 1234, 30) == 1234);
  CHECK(calculate("round", 2.5, 0) == 2 && calculate("round", 0.15, 1) == 0.1 && calculate("round", 1e300, 2) == 1e300);
  CHECK(calculate("round", infinity, 2) == infinity && calculate("round", -infinity, -2) == -infinity);
  CHECK(calculate("round", 1.25, 400) == 1.25 && calculate("round", 0, 3) == 0 &&
        std::signbit(calculate("round", -0.0, 3)));
  CHECK(calculate("round", 123, -400) == 0 && std::isnan(calculate("round", 1, std::nan(""))));
}

TEST("aggregates, medians and quantiles of groups are those of each group's values alone") {
  std::mt19937_64 random(5);
  Reals values;
  std::vector<std::int32_t> groups;
  const std::size_t count = 40, rows = 3000;
  for (std::size_t i = 0; i < rows; ++i) {
    values.push_back(random() % 17 ? static_cast<double>(random() % 500) / 4 - 50 : missing_real());
    groups.push_back(static_cast<std::int32_t>(random() % count));
  }
  const auto of = [&](Aggregate what) {
    return aggregate_groups(what, Type::real, values.data(), rows, true, groups.data(), count, 2);
  };
  const RowVector<double> sum = of(Aggregate::sum), mean = of(Aggregate::mean), least = of(Aggregate::least),
                          greatest = of(Aggregate::greatest), known = of(Aggregate::known),
                          variance = of(Aggregate::variance),
                          median = medians(Type::real, values.data(), rows, true, groups.data(), count),
                          third = quantiles(0.3, Type::real, values.data(), rows, groups.data(), count);
  const GroupSums together = sums_of_groups(Type::real, values.data(), rows, false, groups.data(), count, 2);
  for (std::size_t g = 0; g < count; ++g) {
    Reals own = known_of(values, groups, static_cast<std::int32_t>(g));
    std::sort(own.begin(), own.end());
    double total = 0, squares = 0;
    for (double value : own) total += value;
    const double middle = total / static_cast<double>(own.size());
    for (double value : own) squares += (value - middle) * (value - middle);
    CHECK(sum[g] == total && std::fabs(mean[g] - middle) < 1e-12 && known[g] == static_cast<double>(own.size()));
    CHECK(least[g] == own.front() && greatest[g] == own.back());
    CHECK(std::fabs(variance[g] - squares / static_cast<double>(own.size() - 1)) < 1e-9);
    CHECK(together.sum[g] == total && together.known[g] == known[g] && together.mean[g] == mean[g]);
    const auto at_share = [&](double share) {
      const double place = share * static_cast<double>(own.size() - 1);
      const std::size_t below = static_cast<std::size_t>(place);
      return own[below] + (place - std::floor(place)) * (own[std::min(below + 1, own.size() - 1)] - own[below]);
    };
    CHECK(std::fabs(median[g] - at_share(0.5)) < 1e-12 && std::fabs(third[g] - at_share(0.3)) < 1e-12);
  }
  // Whole numbers, where a missing value in a group is skipped or not.
  std::vector<std::int32_t> wholes(rows);
  for (std::size_t i = 0; i < rows; ++i)
    wholes[i] = std::isnan(values[i]) && groups[i] % 2 ? missing_integer : groups[i] - static_cast<std::int32_t>(i % 7);
  for (Aggregate what : {Aggregate::sum, Aggregate::mean, Aggregate::least, Aggregate::greatest, Aggregate::variance}) {
    Reals as_reals;
    for (std::int32_t value : wholes) as_reals.push_back(value == missing_integer ? missing_real() : value);
    for (bool skip : {false, true}) {
      bool has_missing = false;
      const auto found = aggregate_groups(what, Type::integer, wholes.data(), rows, skip, groups.data(), count, 2);
      const auto expected = aggregate_groups(what, Type::real, as_reals.data(), rows, skip, groups.data(), count, 1);
      for (std::size_t g = 0; g < count; ++g) {
        CHECK(std::fabs(found[g] - expected[g]) < 1e-9 || (std::isnan(found[g]) && std::isnan(expected[g])));
        has_missing = has_missing || std::isnan(found[g]);
        CHECK(!(std::isnan(found[g]) && g % 2 == 0));
      }
      CHECK(has_missing == !skip);
    }
  }
  const Distribution whole = distribution(Type::real, values.data(), rows, {0, 0.5, 1}, 2);
  const std::vector<std::int32_t> one_group(rows, 0);
  Reals all = known_of(values, one_group, 0);
  std::sort(all.begin(), all.end());
  double total = 0, squares = 0;
  for (double value : all) total += value;
  for (double value : all) squares += std::pow(value - total / static_cast<double>(all.size()), 2);
  CHECK(whole.known == all.size() && std::fabs(whole.mean - total / static_cast<double>(all.size())) < 1e-10);
  CHECK(std::fabs(whole.variance - squares / static_cast<double>(all.size() - 1)) < 1e-7);
  const double middle = medians(Type::real, values.data(), rows, true, one_group.data(), 1)[0];
  CHECK(whole.quantiles == (Reals{all.front(), middle, all.back()}));
  const Distribution of_wholes = distribution(Type::integer, wholes.data(), rows, {0.5}, 2);
  double whole_sum = 0, whole_known = 0;
  for (std::int32_t value : wholes)
    if (value != missing_integer) whole_sum += value, ++whole_known;
  CHECK(std::fabs(of_wholes.mean - whole_sum / whole_known) < 1e-10 && of_wholes.known == whole_known);
  for (std::size_t some : {2, 3, 4, 5, 6}) {
    const Distribution few = distribution(Type::real, all.data(), some, {0.3, 0.75}, 1);
    const std::vector<std::int32_t> none(some, 0);
    CHECK(quantiles(1, Type::real, all.data(), some, none.data(), 1)[0] == all[some - 1]);
    CHECK(quantiles(0, Type::real, all.data(), some, none.data(), 1)[0] == all[0]);
    CHECK(few.quantiles[0] == quantiles(0.3, Type::real, all.data(), some, none.data(), 1)[0]);
    const double place = 0.75 * static_cast<double>(some - 1);
    const std::size_t below = static_cast<std::size_t>(place);
    const double beyond = place - std::floor(place);
    const double above = all[std::min(below + 1, some - 1)];
    CHECK(std::fabs(few.quantiles[1] - (all[below] + beyond * (above - all[below]))) < 1e-12);
  }
  all.erase(std::unique(all.begin(), all.end()), all.end());
  CHECK(whole.different == all.size());
}

TEST("a date has digits wherever it must have some") {
  double day;
  const std::string date = "2026-02-28";
  CHECK(read_date(date, &day) && day == 20512);
  for (std::size_t at = 0; at < date.size(); ++at)
    for (char other : {'/', ':', 'a', ' ', '-', '0'}) {
      if (date[at] == other || (other == '0' && date[at] != '-')) continue;
      std::string wrong = date;
      wrong[at] = other;
      CHECK(!read_date(wrong, &day));
    }
  for (const char* wrong : {"", "2026-02-2", "2026-02-280", "2026-00-10", "2026-13-10", "2026-01-00", "2026-01-32"})
    CHECK(!read_date(wrong, &day));
  const int lengths[] = {31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  for (int month = 1; month <= 12; ++month) {
    const int last = lengths[month - 1];
    char text[40];
    std::snprintf(text, sizeof text, "2024-%02d-%02d", month, last);
    CHECK(read_date(text, &day) && part(DatePart::day, day) == last && part(DatePart::day, day + 1) == 1);
    std::snprintf(text, sizeof text, "2024-%02d-%02d", month, last + 1);
    CHECK(!read_date(text, &day));
  }
}

TEST("fields are values only from end to end, and exact") {
  std::int64_t whole;
  CHECK(read_long_integer("-9223372036854775807", &whole) && whole == -9223372036854775807);
  CHECK(!read_long_integer("9223372036854775808", &whole) && !read_long_integer("1.5", &whole));
  double real;
  for (const char* good : {"1", "-1.5", "1e3", "123456789012345", "1234567890123456", "9007199254740991", ".5"})
    CHECK(read_real(good, &real) && real == std::stod(good));
  for (const char* bad : {"", "-", "1x", "1e", "9007199254740993", "--1", "+-1", "0x10"}) CHECK(!read_real(bad, &real));
  CHECK(trimmed(" a b\t") == "a b" && trimmed("\ta") == "a" && trimmed("a ") == "a" && trimmed("").empty());
}

TEST("the variance of long integers is that of a sample") {
  const std::vector<std::int64_t> values = {3, missing_long_integer, 5, 10, missing_long_integer};
  const Distribution found = distribution(Type::long_integer, values.data(), values.size(), {0, 1}, 1);
  CHECK(found.known == 3 && found.different == 3 && found.mean == 6 && found.variance == 13);
  CHECK(found.quantiles == Reals({3, 10}));
}

TEST("variances are those of samples, of few different values and of many, of each type") {
  const auto is_right = [](Type type, const auto& column) {
    long double sum = 0, squares = 0;
    for (const auto value : column) sum += static_cast<long double>(value);
    const long double mean = sum / static_cast<long double>(column.size());
    for (const auto value : column) squares += (value - mean) * (value - mean);
    const double expected = static_cast<double>(squares / (static_cast<long double>(column.size()) - 1));
    const Distribution found = distribution(type, column.data(), column.size(), {0.5}, 2);
    CHECK(std::fabs(found.mean - static_cast<double>(mean)) <= 1e-12 * std::fabs(static_cast<double>(mean)));
    CHECK(std::fabs(found.variance - expected) <= 1e-9 * expected);
  };
  for (const std::size_t rows : {40, 300000}) for (const std::size_t different : {std::size_t(5), rows}) {
    Reals reals(rows);
    std::vector<std::int32_t> wholes(rows);
    std::vector<std::int64_t> longs(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      const std::size_t k = i * 7919 % different;
      reals[i] = 100 + static_cast<double>(k) / 3;
      wholes[i] = static_cast<std::int32_t>(k) + 3, longs[i] = static_cast<std::int64_t>(k) * 3000000000 + 5;
    }
    is_right(Type::real, reals);
    is_right(Type::integer, wholes);
    is_right(Type::long_integer, longs);
  }
}

TEST("a value at its very place does not depend on the next one") {
  const Reals values = {1, 2, infinity};
  const std::int32_t groups[] = {0, 0, 0};
  CHECK(quantiles(0.5, Type::real, values.data(), 3, groups, 1)[0] == 2);
  CHECK(distribution(Type::real, values.data(), 3, {0.5}, 1).quantiles[0] == 2);
}

TEST("months before the year 0 begin on a first, too") {
  for (std::int64_t year : {-401, -2, -1, 0}) for (int month = 1; month <= 12; ++month) {
    const double day = static_cast<double>(days_of_date<std::int64_t>(year, month, 10));
    double first, last, later;
    period_days(Period::month, false, &day, 1, 1, &first);
    period_days(Period::month, true, &day, 1, 1, &last);
    CHECK(first == day - 9 && last == day - 10 + days_of_month(year, month));
    const double by = 1;
    add_months(&day, 1, 1, &by, 1, &later);
    CHECK(later == last + 10);
  }
}

TEST("numbers change their sign") {
  Program program;
  program.add_output(program.add_operation("negate", {program.add_input(Type::real)}));
  const Reals values = {2.5, -1, 0, -0.0, infinity};
  Reals result(values.size());
  run_program(program, {values.data()}, {result.data()}, values.size(), RunOptions(), [](std::size_t, std::size_t) {});
  for (std::size_t k = 0; k < values.size(); ++k)
    CHECK(result[k] == -values[k] && std::signbit(result[k]) != std::signbit(values[k]));
}
