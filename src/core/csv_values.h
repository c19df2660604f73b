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
// The same for what read_short_real() (csv_numbers.h) can't decide.
bool read_other_real(std::string_view text, char decimal, double* value);
// An ISO 8601 date, yyyy-mm-dd, as days since 1970-01-01.
bool read_date(std::string_view text, double* value);

// The shortest text that reads back as the same double. Where it is put must have room for so many bytes; gives what is
// behind it.
constexpr std::size_t most_bytes_of_real = 32;
char* put_real(double value, char* to);
void write_real(double value, std::string* to);

// The text without the blanks around it, in which form numbers, dates and logicals are read.
inline std::string_view trimmed(std::string_view text) {
  if (text.empty() || (static_cast<unsigned char>(text.front()) > ' ' && static_cast<unsigned char>(text.back()) > ' '))
    return text;
  const std::size_t first = text.find_first_not_of(" \t");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

// The byte where text stops being valid UTF-8, or its size.
std::size_t valid_utf8_prefix(std::string_view text);

}  // namespace rowanroot
