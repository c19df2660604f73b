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

}  // namespace rowanroot
