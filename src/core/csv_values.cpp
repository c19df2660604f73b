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

// Goes past digits, which are added to those of the number before, eight at a time where there are so many.
const char* read_digits(const char* at, const char* end, std::uint64_t* number) {
#if __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__
  for (std::uint64_t eight; end - at >= 8; at += 8) {
    std::memcpy(&eight, at, 8);
    const std::uint64_t values = eight - 0x3030303030303030ull;
    // A digit is 0x30 to 0x39: it has this high half, and its low half does not carry when 6 is added.
    if (((eight & 0xF0F0F0F0F0F0F0F0ull) != 0x3030303030303030ull) |
        (((values + 0x0606060606060606ull) & 0xF0F0F0F0F0F0F0F0ull) != 0)) break;
    const std::uint64_t pairs = (values * 10) + (values >> 8);
    const std::uint64_t fours = (((pairs & 0x000000FF000000FFull) * (100 + (1000000ull << 32))) +
                                 (((pairs >> 16) & 0x000000FF000000FFull) * (1 + (10000ull << 32)))) >> 32;
    *number = *number * 100000000 + static_cast<std::uint32_t>(fours);
  }
#endif
  for (; at != end && is_digit(*at); ++at) *number = *number * 10 + static_cast<unsigned>(*at - '0');
  return at;
}

// A number of few digits without an exponent: digits and a power of ten that doubles hold exactly are divided, which
// rounds as reading it does. Gives false where that can't be decided, and where it is no number.
bool read_short_real(std::string_view text, char decimal, double* value) {
  static const double powers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,
                                  1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18};
  const char* at = text.data();
  const char* const end = at + text.size();
  const bool is_negative = *at == '-';
  at += is_negative;
  if (end - at > 19 || at == end || !is_digit(*at) || (*at == '0' && end - at > 1 && is_digit(at[1]))) return false;
  std::uint64_t digits = 0;
  at = read_digits(at, end, &digits);
  std::ptrdiff_t decimals = 0;
  if (at != end) {
    if (*at != decimal) return false;
    const char* const first = ++at;
    at = read_digits(at, end, &digits);
    if (at != end) return false;
    decimals = at - first;
  }
  if (digits >= (std::uint64_t(1) << 53)) return false;
  const double number = static_cast<double>(digits) / powers[decimals];
  return *value = is_negative ? -number : number, true;
}

}  // namespace

bool read_integer(std::string_view text, std::int32_t* value) { return read_whole(text, value); }

bool read_long_integer(std::string_view text, std::int64_t* value) { return read_whole(text, value); }

namespace {

bool read_any_real(std::string_view text, double* value) {
  const std::string_view digits = without_minus(text);
  const bool starts_well = !digits.empty() && (is_digit(digits[0]) || (digits[0] == '.' && digits.size() > 1));
  if (!starts_well) {
    if (text == "NaN") return *value = std::numeric_limits<double>::quiet_NaN(), true;
    if (digits == "Inf") return *value = text[0] == '-' ? -HUGE_VAL : HUGE_VAL, true;
    return false;
  }
  if (has_leading_zero(digits)) return false;
  double number;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc() || end != text.data() + text.size()) return false;
  if (looks_whole(text) && std::fabs(number) >= first_inexact_whole) return false;
  return *value = number, true;
}

}  // namespace

bool read_real(std::string_view text, char decimal, double* value) {
  text = without_plus(text);
  if (!text.empty() && read_short_real(text, decimal, value)) return true;
  if (decimal == '.') return read_any_real(text, value);
  char with_point[64];
  if (text.size() > sizeof with_point || text.find('.') != text.npos) return false;
  std::replace_copy(text.begin(), text.end(), with_point, decimal, '.');
  return read_any_real({with_point, text.size()}, value);
}

bool read_real(std::string_view text, double* value) { return read_real(text, '.', value); }

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

// To the nearest whole number, the even one of two, for numbers from 0 to below 2^52.
double rounded(double value) { return (value + 4503599627370496.0) - 4503599627370496.0; }

// Of a number below 100,000.
char* put_digits(std::uint32_t number, char* to) {
  to += 1 + (number > 9) + (number > 99) + (number > 999) + (number > 9999);
  char* at = to;
  do *--at = static_cast<char>('0' + number % 10);
  while (number /= 10);
  return to;
}

// A number of few decimals, whose shortest form has no exponent: a whole number that gives it again when it is divided
// by a power of ten, without the noughts at its end. Gives nullptr for others.
char* put_short_real(double value, char* to) {
  const double size = std::fabs(value);
  if (!(size >= 0.001 && size < 1e5)) return nullptr;
  std::uint32_t power = 100;
  double digits = rounded(size * 100);
  if (digits / 100 != size) {
    power = 10000;
    digits = rounded(size * 10000);
    if (digits / 10000 != size) return nullptr;
  }
  if (value < 0) *to++ = '-';
  const std::uint32_t number = static_cast<std::uint32_t>(digits);
  to = put_digits(number / power, to);
  std::uint32_t decimals = number % power;
  if (!decimals) return to;
  for (*to++ = '.'; decimals; decimals %= power) {
    power /= 10;
    *to++ = static_cast<char>('0' + decimals / power);
  }
  return to;
}

char* put(std::string_view text, char* to) { return std::copy(text.begin(), text.end(), to); }

}  // namespace

char* put_real(double value, char* to) {
  if (char* const end = put_short_real(value, to)) return end;
  if (value != value) return put("NaN", to);
  if (std::isinf(value)) return put(value < 0 ? "-Inf" : "Inf", to);
  char* const end = std::to_chars(to, to + most_bytes_of_real, value).ptr;
  if (std::fabs(value) >= first_inexact_whole && looks_whole({to, static_cast<std::size_t>(end - to)}))
    return put(".0", end);
  return end;
}

void write_real(double value, std::string* to) {
  char buffer[most_bytes_of_real];
  to->append(buffer, put_real(value, buffer));
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
