#pragma once
// From the text of one CSV field to a value and back. Doubles come back bit for bit.

#include <cstdint>
#include <string>
#include <string_view>

namespace rowanroot {

// Each gives false, and leaves the value alone, if the text is not wholly such a value.
bool read_logical(std::string_view text, std::int32_t* value);
bool read_integer(std::string_view text, std::int32_t* value);
bool read_long_integer(std::string_view text, std::int64_t* value);
bool read_real(std::string_view text, double* value);
// The same with another sign than a point before the decimals.
bool read_real(std::string_view text, char decimal, double* value);
// An ISO 8601 date, yyyy-mm-dd, as days since 1970-01-01.
bool read_date(std::string_view text, double* value);

// The shortest text that reads back as the same double.
void write_real(double value, std::string* to);

// The text without the blanks around it, in which form numbers, dates and logicals are read.
std::string_view trimmed(std::string_view text);

// The byte where text stops being valid UTF-8, or its size.
std::size_t valid_utf8_prefix(std::string_view text);

}  // namespace rowanroot
