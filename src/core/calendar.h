#pragma once
// The proleptic Gregorian calendar: dates as days since 1970-01-01, and back. By Howard Hinnant's algorithms
// (days_from_civil, civil_from_days): years that begin in March have their leap day last.

#include <cstdint>

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
  const unsigned of_era = static_cast<unsigned>(days - era * 146097);
  const unsigned year_of_era = (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
  const unsigned of_year = of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const unsigned shifted = (5 * of_year + 2) / 153;
  const int month = static_cast<int>(shifted < 10 ? shifted + 3 : shifted - 9);
  return {static_cast<std::int64_t>(year_of_era) + era * 400 + (month <= 2), month,
          static_cast<int>(of_year - (153 * shifted + 2) / 5 + 1)};
}

// As yyyy-mm-dd, of the years 0 to 9999, in ten bytes; gives what is behind them.
inline char* put_date(const Civil& date, char* to) {
  const auto put = [&](std::int64_t number) {
    *to++ = static_cast<char>('0' + number / 10);
    *to++ = static_cast<char>('0' + number % 10);
  };
  put(date.year / 100);
  put(date.year % 100);
  *to++ = '-';
  put(date.month);
  *to++ = '-';
  put(date.day);
  return to;
}

}  // namespace rowanroot
