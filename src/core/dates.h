#pragma once
// Parts of dates, which are days since 1970-01-01 in the proleptic Gregorian calendar.

#include <cstddef>
#include <cstdint>
#include <string>

namespace rowanroot {

// year, quarter, month, day (of the month), weekday (Monday is 1), week (ISO 8601).
enum class DatePart { year, quarter, month, day, weekday, week };

// Throws std::invalid_argument for a name that there is not.
DatePart date_part_of_name(const std::string& name);

// A part of the day that each value lies in; missing where there is none. `units_per_day` is 1 for days and
// 86400 for seconds.
void date_parts(DatePart part, const double* values, double units_per_day, std::size_t rows, std::int32_t* result);

// Periods of the calendar; weeks begin on Monday.
enum class Period { year, quarter, month, week, day };

Period period_of_name(const std::string& name);

// The first day of the period that each value lies in, or its last day, in the same units; missing where there is none.
void period_days(Period period, bool last, const double* values, double units_per_day, std::size_t rows,
                 double* result);

// So many months later, at the same time of day; a day that the month lacks becomes its last. There are as many
// `months` as rows, or one for all; those that are not whole, or lead too far, give a missing value.
void add_months(const double* values, double units_per_day, std::size_t rows, const double* months, std::size_t count,
                double* result);

// How many whole months lie between: the most that can be added to the earlier without passing the later. Less than 0
// if `to` is earlier. There may be one value for all.
void months_between(const double* from, std::size_t from_count, const double* to, std::size_t to_count,
                    double units_per_day, std::size_t rows, double* result);

}  // namespace rowanroot
