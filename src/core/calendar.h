#pragma once
// The proleptic Gregorian calendar: dates as days since 1970-01-01, and back. By Howard Hinnant's days_from_civil, and
// by C. Neri and L. Schneider, "Euclidean affine functions and their application to calendar algorithms" (2023): years
// that begin in March have their leap day last.

#include <cstdint>

#include "digits.h"

namespace rowanroot {

struct Civil {
  std::int64_t year;
  int month, day;
};

inline bool is_leap_year(std::int64_t year) { return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0); }

inline int days_of_month(std::int64_t year, int month) {
  constexpr int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  return days[month - 1] + (month == 2 && is_leap_year(year));
}

// In the type of the year: years of four digits need no long numbers.
template <class Year>
Year days_of_date(Year year, int month, int day) {
  year -= month <= 2;
  const Year era = (year >= 0 ? year : year - 399) / 400, year_of_era = year - era * 400;
  const int day_of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  return era * 146097 + year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year - 719468;
}

inline Civil civil_of(std::int64_t days) {
  days += 719468;
  const std::int64_t era = (days >= 0 ? days : days - 146096) / 146097;
  const std::uint32_t in_quarters = 4 * static_cast<std::uint32_t>(days - era * 146097) + 3;
  const std::uint32_t century = in_quarters / 146097, of_century = (in_quarters % 146097) | 3;
  const std::uint64_t years = 2939745ull * of_century;  // those of the century, times 2^32
  const std::uint32_t of_year = static_cast<std::uint32_t>(years) / (4 * 2939745);
  const std::uint32_t months = 2141 * of_year + 197913;  // from the beginning of the year, times 2^16
  const int month = static_cast<int>(months >> 16), is_next_year = month > 12;
  return {era * 400 + century * 100 + static_cast<std::int64_t>(years >> 32) + is_next_year, month - 12 * is_next_year,
          static_cast<int>((months & 0xFFFF) / 2141) + 1};
}

// As yyyy-mm-dd, of the years 0 to 9999, in ten bytes; gives what is behind them.
inline char* put_date(const Civil& date, char* to) {
  to = put_two_digits(static_cast<std::uint32_t>(date.year / 100), to);
  to = put_two_digits(static_cast<std::uint32_t>(date.year % 100), to);
  *to++ = '-';
  to = put_two_digits(static_cast<std::uint32_t>(date.month), to);
  *to++ = '-';
  return put_two_digits(static_cast<std::uint32_t>(date.day), to);
}

}  // namespace rowanroot
