#include "fast.h"

#include "csv_values.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>

#include "calendar.h"
#include "values.h"

namespace rowanroot {
namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }

// Codes such as 007 are no numbers: the zeros would be lost.
bool has_leading_zero(std::string_view digits) { return digits.size() > 1 && digits[0] == '0' && is_digit(digits[1]); }

std::string_view without_minus(std::string_view text) {
  return !text.empty() && text[0] == '-' ? text.substr(1) : text;
}

// A plus before a number has no meaning.
std::string_view without_plus(std::string_view text) {
  return text.size() > 1 && text[0] == '+' && text[1] != '-' ? text.substr(1) : text;
}

// From here on, whole numbers as doubles may stand for their neighbours. Written as such they are codes,
// and stay text; a number of this size has a point or an exponent.
constexpr double first_inexact_whole = 9007199254740992.0;
bool looks_whole(std::string_view text) { return text.find_first_of(".eE") == std::string_view::npos; }

int two_digits(const char* at) { return (at[0] - '0') * 10 + (at[1] - '0'); }

}  // namespace

bool read_logical(std::string_view text, std::int32_t* value) {
  if (text == "TRUE" || text == "true") return *value = 1, true;
  if (text == "FALSE" || text == "false") return *value = 0, true;
  return false;
}

namespace {

template <class T>
bool read_whole(std::string_view text, T* value) {
  text = without_plus(text);
  const std::string_view digits = without_minus(text);
  // There is no whole number -0: it is a double.
  if (digits.empty() || !is_digit(digits[0]) || has_leading_zero(digits) || text == "-0") return false;
  T number;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc() || end != text.data() + text.size() || number == std::numeric_limits<T>::min())
    return false;
  return *value = number, true;
}

// A number of few digits without an exponent: digits and a power of ten that doubles hold exactly are divided, which
// rounds as reading it does. Gives false where that can't be decided.
bool read_short_real(std::string_view text, double* value) {
  static const double powers[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
  if (text.size() > 16) return false;
  const bool is_negative = text[0] == '-';
  std::uint64_t digits = 0;
  std::size_t decimals = 0;
  bool after_point = false;
  for (std::size_t i = is_negative; i < text.size(); ++i) {
    const unsigned digit = static_cast<unsigned char>(text[i]) - '0';
    if (digit < 10) {
      digits = digits * 10 + digit;
      decimals += after_point;
    } else if (text[i] == '.' && !after_point) {
      after_point = true;
    } else {
      return false;
    }
  }
  if (digits >= (std::uint64_t(1) << 53)) return false;
  const double number = static_cast<double>(digits) / powers[decimals];
  return *value = is_negative ? -number : number, true;
}

}  // namespace

bool read_integer(std::string_view text, std::int32_t* value) { return read_whole(text, value); }

bool read_long_integer(std::string_view text, std::int64_t* value) { return read_whole(text, value); }

bool read_real(std::string_view text, double* value) {
  text = without_plus(text);
  const std::string_view digits = without_minus(text);
  const bool starts_well = !digits.empty() && (is_digit(digits[0]) || (digits[0] == '.' && digits.size() > 1));
  if (!starts_well) {
    if (text == "NaN") return *value = std::numeric_limits<double>::quiet_NaN(), true;
    if (digits == "Inf") return *value = text[0] == '-' ? -HUGE_VAL : HUGE_VAL, true;
    return false;
  }
  if (has_leading_zero(digits)) return false;
  if (read_short_real(text, value)) return true;
  double number;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc() || end != text.data() + text.size()) return false;
  if (looks_whole(text) && std::fabs(number) >= first_inexact_whole) return false;
  return *value = number, true;
}

bool read_real(std::string_view text, char decimal, double* value) {
  if (decimal == '.') return read_real(text, value);
  char with_point[64];
  if (text.size() > sizeof with_point || text.find('.') != text.npos) return false;
  std::replace_copy(text.begin(), text.end(), with_point, decimal, '.');
  return read_real({with_point, text.size()}, value);
}

std::string_view trimmed(std::string_view text) {
  if (text.empty() || (text.front() != ' ' && text.front() != '\t' && text.back() != ' ' && text.back() != '\t'))
    return text;
  const std::size_t first = text.find_first_not_of(" \t");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

bool read_date(std::string_view text, double* value) {
  if (text.size() != 10 || text[4] != '-' || text[7] != '-') return false;
  for (int i : {0, 1, 2, 3, 5, 6, 8, 9})
    if (!is_digit(text[i])) return false;
  const int year = two_digits(text.data()) * 100 + two_digits(text.data() + 2);
  const int month = two_digits(text.data() + 5), day = two_digits(text.data() + 8);
  if (month < 1 || month > 12 || day < 1 || day > days_of_month(year, month)) return false;
  return *value = days_of_date(year, month, day), true;
}

namespace {

// A number of few decimals, whose shortest form has no exponent: the least whole number that gives it again when it is
// divided by a power of ten. Gives false for others.
bool write_short_real(double value, std::string* to) {
  const double size = std::fabs(value);
  if (!(size >= 0.001 && size < 1e5)) return false;
  double power = 1;
  int decimals = 0;
  for (; decimals <= 4; ++decimals, power *= 10)
    if (std::nearbyint(size * power) / power == size) break;
  if (decimals > 4) return false;
  std::uint32_t digits = static_cast<std::uint32_t>(std::nearbyint(size * power));
  char buffer[16];
  char* at = buffer + sizeof buffer;
  for (int k = 0; k < decimals; ++k, digits /= 10) *--at = static_cast<char>('0' + digits % 10);
  if (decimals > 0) *--at = '.';
  do *--at = static_cast<char>('0' + digits % 10);
  while (digits /= 10);
  if (value < 0) *--at = '-';
  to->append(at, buffer + sizeof buffer);
  return true;
}

}  // namespace

void write_real(double value, std::string* to) {
  if (write_short_real(value, to)) return;
  if (value != value) return void(to->append("NaN"));
  if (std::isinf(value)) return void(to->append(value < 0 ? "-Inf" : "Inf"));
  char buffer[32];
  const auto end = std::to_chars(buffer, buffer + sizeof buffer, value).ptr;
  to->append(buffer, end);
  if (std::fabs(value) >= first_inexact_whole && looks_whole({buffer, static_cast<std::size_t>(end - buffer)}))
    to->append(".0");
}

std::size_t valid_utf8_prefix(std::string_view text) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  std::size_t i = 0;
  while (i < text.size()) {
    // Most texts are ASCII.
    std::uint64_t eight;
    while (i + sizeof eight <= text.size() &&
           (std::memcpy(&eight, text.data() + i, sizeof eight), (eight & 0x8080808080808080ull) == 0))
      i += sizeof eight;
    if (i == text.size()) break;
    const unsigned char lead = byte(i);
    const std::size_t more = lead < 0x80 ? 0 : lead >= 0xC2 && lead < 0xE0 ? 1 : lead >= 0xE0 && lead < 0xF0 ? 2
                             : lead >= 0xF0 && lead < 0xF5 ? 3 : 4;
    if (more == 4 || i + more >= text.size()) return i;
    for (std::size_t k = 1; k <= more; ++k)
      if ((byte(i + k) & 0xC0) != 0x80) return i;
    // Overlong forms, surrogates, and beyond the last character.
    if ((lead == 0xE0 && byte(i + 1) < 0xA0) || (lead == 0xED && byte(i + 1) > 0x9F) ||
        (lead == 0xF0 && byte(i + 1) < 0x90) || (lead == 0xF4 && byte(i + 1) > 0x8F))
      return i;
    i += more + 1;
  }
  return i;
}

}  // namespace rowanroot
