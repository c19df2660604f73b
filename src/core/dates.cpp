#include "dates.h"

#include <cmath>

#include "names.h"
#include "values.h"

namespace rowanroot {
namespace {

struct Civil {
  std::int64_t year;
  int month, day;
};

// Howard Hinnant's civil_from_days.
Civil civil_of(std::int64_t days) {
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

// Monday is 1. The first of January 1970 was a Thursday.
int weekday_of(std::int64_t days) { return static_cast<int>(((days + 3) % 7 + 7) % 7) + 1; }

int day_of_year(const Civil& date) {
  static const int before[] = {0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334};
  const bool leap = date.year % 4 == 0 && (date.year % 100 != 0 || date.year % 400 == 0);
  return before[date.month - 1] + date.day + (leap && date.month > 2);
}

// The week that holds this week's Thursday is numbered in the Thursday's year.
int week_of(std::int64_t days) {
  const std::int64_t thursday = days - weekday_of(days) + 4;
  return (day_of_year(civil_of(thursday)) - 1) / 7 + 1;
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
  // Beyond this a year does not fit an integer.
  constexpr double farthest = 7.8e11;
  for (std::size_t i = 0; i < rows; ++i) {
    const double days = std::floor(values[i] / units_per_day);
    result[i] = std::fabs(days) < farthest ? part_of(part, static_cast<std::int64_t>(days)) : missing_integer;
  }
}

}  // namespace rowanroot
