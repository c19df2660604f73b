#include "fast.h"

#include "csv_values.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>

#include "calendar.h"
#include "csv_numbers.h"
#include "digits.h"
#include "shortest.h"
#include "values.h"

namespace rowanroot {
namespace {

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
  if (digits.size() <= 8) {
    const std::uint64_t all = load_digits(digits.data(), digits.size());
    if (!are_digits(all)) return false;
    number = static_cast<T>(number_of_digits(all));
    return *value = digits.size() < text.size() ? -number : number, true;
  }
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc() || end != text.data() + text.size() || number == std::numeric_limits<T>::min())
    return false;
  return *value = number, true;
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
  return read_short_real(text, decimal, value) || read_other_real(text, decimal, value);
}

bool read_other_real(std::string_view text, char decimal, double* value) {
  text = without_plus(text);
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

char* put(std::string_view text, char* to) { return std::copy(text.begin(), text.end(), to); }

// A number of up to four decimals, whose shortest form has no exponent: a whole number that gives it again when it is
// divided by 10,000, without the noughts at its end. Gives nullptr for others. Room is used for all decimals.
char* put_short_real(double value, char* to) {
  const double size = std::fabs(value);
  if (!(size >= 0.001 && size < 1e5)) return nullptr;
  const double ten_thousands = rounded(size * 10000);
  if (ten_thousands / 10000 != size) return nullptr;
  if (value < 0) *to++ = '-';
  const std::uint32_t number = static_cast<std::uint32_t>(ten_thousands), decimals = number % 10000;
  to = put_few_digits(number / 10000, to);
  if (!decimals) return to;
  *to = '.';
  to = put_two_digits(decimals / 100, to + 1);
  if (decimals % 100) to = put_two_digits(decimals % 100, to);
  return to - (to[-1] == '0');
}

// So many digits, up to 17. Most doubles of many digits have 16 or 17.
char* put_digits(std::uint64_t number, int count, char* to) {
  if (count < 16) {
    char* at = to + count;
    for (int left = count; left >= 2; left -= 2, number /= 100)
      put_two_digits(static_cast<std::uint32_t>(number % 100), at -= 2);
    if (count % 2) *to = static_cast<char>('0' + number);
    return to + count;
  }
  std::uint32_t high = static_cast<std::uint32_t>(number / 100000000);
  if (count == 17) *to++ = static_cast<char>('0' + high / 100000000), high %= 100000000;
  for (const std::uint32_t eight : {high, static_cast<std::uint32_t>(number % 100000000)})
    for (const std::uint32_t four : {eight / 10000, eight % 10000})
      to = put_two_digits(four % 100, put_two_digits(four / 100, to));
  return to;
}

int count_of_digits(std::uint64_t number) {
  int count = 17;
  for (std::uint64_t power = 10000000000000000; number < power; power /= 10) --count;
  return count;
}

char* put_exponent(int power, char* to) {
  *to++ = 'e';
  *to++ = power < 0 ? '-' : '+';
  power = std::abs(power);
  if (power > 99) *to++ = static_cast<char>('0' + power / 100);
  return put_two_digits(static_cast<std::uint32_t>(power % 100), to);
}

// The digits with a point behind the first few.
char* put_with_point(const Decimal& decimal, int count, int whole, char* to) {
  char* const end = put_digits(decimal.digits, count, to + 1);
  for (int k = 0; k < whole; ++k) to[k] = to[k + 1];
  to[whole] = '.';
  return end;
}

// With an exponent only if that is shorter.
char* put_decimal(const Decimal& decimal, char* to) {
  const int count = count_of_digits(decimal.digits), exponent = decimal.exponent, whole = count + exponent;
  const int is_one = count == 1;
  if (exponent < -(count + 3) + is_one || exponent > 5 - is_one) {
    to = is_one ? put_digits(decimal.digits, 1, to) : put_with_point(decimal, count, 1, to);
    return put_exponent(whole - 1, to);
  }
  if (exponent >= 0) return std::fill_n(put_digits(decimal.digits, count, to), exponent, '0');
  if (whole > 0) return put_with_point(decimal, count, whole, to);
  std::memcpy(to, "0.0000", 6);
  return put_digits(decimal.digits, count, to + 2 - whole);
}

}  // namespace

char* put_real(double value, char* to) {
  if (char* const end = put_short_real(value, to)) return end;
  if (value != value) return put("NaN", to);
  if (std::isinf(value)) return put(value < 0 ? "-Inf" : "Inf", to);
  const double size = std::fabs(value);
  if (size > 0 && size < first_inexact_whole) {
    if (value < 0) *to++ = '-';
    return put_decimal(shortest_decimal(size), to);
  }
  char* const end = std::to_chars(to, to + most_bytes_of_real, value).ptr;
  if (size >= first_inexact_whole && looks_whole({to, static_cast<std::size_t>(end - to)})) return put(".0", end);
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
