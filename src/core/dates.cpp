#include "dates.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "calendar.h"
#include "names.h"
#include "values.h"

namespace rowanroot {
namespace {

// Monday is 1. The first of January 1970 was a Thursday.
int weekday_of(std::int64_t days) { return static_cast<int>(((days + 3) % 7 + 7) % 7) + 1; }

int day_of_year(const Civil& date) {
  static const int before[] = {0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334};
  return before[date.month - 1] + date.day + (is_leap_year(date.year) && date.month > 2);
}

// The week that holds this week's Thursday is numbered in the Thursday's year.
int week_of(std::int64_t days) {
  const std::int64_t thursday = days - weekday_of(days) + 4;
  return (day_of_year(civil_of(thursday)) - 1) / 7 + 1;
}

// Months may go beyond 1 to 12.
std::int64_t first_of_month(std::int64_t year, std::int64_t month) {
  const std::int64_t months = year * 12 + month - 1, whole = (months >= 0 ? months : months - 11) / 12;
  return days_of_date(whole, static_cast<int>(months - whole * 12) + 1, 1);
}

// The first day of the period of a day, and of the next period.
std::int64_t period_start(Period period, std::int64_t days, int after) {
  if (period == Period::day) return days + after;
  if (period == Period::week) return days - weekday_of(days) + 1 + 7 * after;
  const Civil date = civil_of(days);
  if (period == Period::month) return first_of_month(date.year, date.month + after);
  if (period == Period::quarter) return first_of_month(date.year, (date.month - 1) / 3 * 3 + 1 + 3 * after);
  return first_of_month(date.year + after, 1);
}

std::int64_t months_later(std::int64_t days, std::int64_t months) {
  const Civil date = civil_of(days);
  const std::int64_t first = first_of_month(date.year, date.month + months);
  const std::int64_t last = first_of_month(date.year, date.month + months + 1) - 1;
  return std::min(first + date.day - 1, last);
}

// Beyond this a year does not fit an integer.
constexpr double farthest = 7.8e11;

// A day, and what is left of the value.
struct DayAndRest {
  std::int64_t day;
  double rest;
};

bool split_value(double value, double units_per_day, DayAndRest* to) {
  const double day = std::floor(value / units_per_day);
  if (!(std::fabs(day) < farthest)) return false;
  *to = {static_cast<std::int64_t>(day), value - day * units_per_day};
  return true;
}

std::int64_t whole_months(const DayAndRest& from, const DayAndRest& to) {
  const Civil first = civil_of(from.day), second = civil_of(to.day);
  const std::int64_t months = (second.year - first.year) * 12 + second.month - first.month;
  const std::int64_t reached = months_later(from.day, months);
  return months - (reached > to.day || (reached == to.day && from.rest > to.rest));
}

// Calls put(row, f(day)) for each value, and none(row) where there is no day. Many days that lie close together are
// looked at once.
template <class Result, class Find, class Put, class None>
void each_day(const double* values, double units_per_day, std::size_t rows, Find find, Put put, None none) {
  constexpr std::size_t block = 1 << 16;
  constexpr double most_days = 1 << 17;
  std::vector<Result> table;
  for (std::size_t first = 0; first < rows; first += block) {
    const std::size_t last = std::min(first + block, rows);
    double least = farthest, greatest = -farthest;
    for (std::size_t i = first; i < last; ++i) {
      least = values[i] < least ? values[i] : least;
      greatest = values[i] > greatest ? values[i] : greatest;
    }
    const double from = std::floor(least / units_per_day), to = std::floor(greatest / units_per_day);
    const bool is_close = last - first > 1000 && to - from < std::min(most_days, static_cast<double>(last - first));
    if (is_close) {
      table.clear();
      for (double day = from; day <= to; ++day) table.push_back(find(static_cast<std::int64_t>(day)));
    }
    for (std::size_t i = first; i < last; ++i) {
      const double day = std::floor(values[i] / units_per_day);
      if (!(std::fabs(day) < farthest)) none(i);
      else if (is_close) put(i, table[static_cast<std::size_t>(day - from)]);
      else put(i, find(static_cast<std::int64_t>(day)));
    }
  }
}

std::int32_t part_of(DatePart part, std::int64_t days) {
  switch (part) {
    case DatePart::weekday: return weekday_of(days);
    case DatePart::week: return week_of(days);
    case DatePart::year: return static_cast<std::int32_t>(civil_of(days).year);
    case DatePart::quarter: return (civil_of(days).month - 1) / 3 + 1;
    case DatePart::month: return civil_of(days).month;
    default: return civil_of(days).day;
  }
}

}  // namespace

DatePart date_part_of_name(const std::string& name) {
  static const char* const names[] = {"year", "quarter", "month", "day", "weekday", "week"};
  return kind_of_name<DatePart>(names, name);
}

void date_parts(DatePart part, const double* values, double units_per_day, std::size_t rows, std::int32_t* result) {
  each_day<std::int32_t>(
      values, units_per_day, rows, [&](std::int64_t day) { return part_of(part, day); },
      [&](std::size_t i, std::int32_t found) { result[i] = found; },
      [&](std::size_t i) { result[i] = missing_integer; });
}

Period period_of_name(const std::string& name) {
  static const char* const names[] = {"year", "quarter", "month", "week", "day"};
  return kind_of_name<Period>(names, name);
}

void period_days(Period period, bool last, const double* values, double units_per_day, std::size_t rows,
                 double* result) {
  const auto find = [&](std::int64_t day) {
    return static_cast<double>(last ? period_start(period, day, 1) - 1 : period_start(period, day, 0)) * units_per_day;
  };
  each_day<double>(values, units_per_day, rows, find, [&](std::size_t i, double found) { result[i] = found; },
                   [&](std::size_t i) { result[i] = missing_real(); });
}

void add_months(const double* values, double units_per_day, std::size_t rows, const double* months, std::size_t count,
                double* result) {
  constexpr double most_months = 1e10;
  if (count == 1 && std::fabs(months[0]) < most_months && months[0] == std::floor(months[0])) {
    const std::int64_t by = static_cast<std::int64_t>(months[0]);
    const auto find = [&](std::int64_t day) {
      return static_cast<double>(months_later(day, by) - day) * units_per_day;
    };
    return each_day<double>(values, units_per_day, rows, find,
                            [&](std::size_t i, double distance) { result[i] = values[i] + distance; },
                            [&](std::size_t i) { result[i] = missing_real(); });
  }
  for (std::size_t i = 0; i < rows; ++i) {
    const double by = months[count == 1 ? 0 : i];
    DayAndRest one;
    const bool is_whole = std::fabs(by) < most_months && by == std::floor(by);
    const bool is_known = split_value(values[i], units_per_day, &one) && is_whole;
    const auto day = [&] { return static_cast<double>(months_later(one.day, static_cast<std::int64_t>(by))); };
    result[i] = is_known ? day() * units_per_day + one.rest : missing_real();
  }
}

void months_between(const double* from, std::size_t from_count, const double* to, std::size_t to_count,
                    double units_per_day, std::size_t rows, double* result) {
  for (std::size_t i = 0; i < rows; ++i) {
    DayAndRest first, second;
    const bool is_known = split_value(from[from_count == 1 ? 0 : i], units_per_day, &first) &&
                          split_value(to[to_count == 1 ? 0 : i], units_per_day, &second);
    if (!is_known) {
      result[i] = missing_real();
      continue;
    }
    const bool is_back = second.day < first.day || (second.day == first.day && second.rest < first.rest);
    const std::int64_t months = is_back ? -whole_months(second, first) : whole_months(first, second);
    result[i] = static_cast<double>(months);
  }
}

}  // namespace rowanroot
