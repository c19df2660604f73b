#pragma once
// Numbers of few signs, read without a loop over them.

#include <cstddef>
#include <cstdint>
#include <string_view>

#include "digits.h"

namespace rowanroot {

// The first one to eight of these bytes, with noughts before them.
inline std::uint64_t shift_digits(std::uint64_t bytes, std::size_t size) {
  return bytes << (64 - 8 * size) | 0x3030303030303030ull >> 8 * (size - 1) >> 8;
}

inline std::uint64_t load_digits(const char* at, std::size_t size) { return shift_digits(load_few(at, size), size); }

// Whether all eight bytes are digits. One is 0x30 to 0x39: it has this high half, and its low half does not carry when
// 6 is added.
inline bool are_digits(std::uint64_t eight) {
  constexpr std::uint64_t high = 0xF0F0F0F0F0F0F0F0ull, zeros = 0x3030303030303030ull;
  return (((eight & high) ^ zeros) | ((eight - zeros + 0x0606060606060606ull) & high)) == 0;
}

// The number of which these are the digits, the first of them in the lowest byte.
inline std::uint32_t number_of_digits(std::uint64_t eight) {
  const std::uint64_t values = eight - 0x3030303030303030ull;
  const std::uint64_t pairs = (values * 10) + (values >> 8);
  return static_cast<std::uint32_t>((((pairs & 0x000000FF000000FFull) * (100 + (1000000ull << 32))) +
                                     (((pairs >> 16) & 0x000000FF000000FFull) * (1 + (10000ull << 32)))) >> 32);
}

// The bytes below one of them move up to its place; nothing is in the lowest then.
inline std::uint64_t without_byte(std::uint64_t bytes, int place) {
  const std::uint64_t below = (std::uint64_t(1) << 8 * place) - 1;
  return (bytes & ~(below << 8 | 0xFF)) | (bytes & below) << 8;
}

// Digits, up to 16, with a sign for decimals among them or not.
struct FewDigits {
  std::uint64_t number;
  int decimals;
};

// One to 16 bytes. False if they are anything else.
inline bool read_few_digits(const char* at, std::size_t size, char decimal, FewDigits* found) {
  const std::size_t before = size > 8 ? size - 8 : 0;
  std::uint64_t last = load_digits(at + before, size - before);
  std::uint64_t first = before ? load_digits(at, before) : std::uint64_t('0') << 56;
  int decimals = 0;
  if (const std::uint64_t signs = bytes_that_are(last, decimal)) {
    decimals = 7 - __builtin_ctzll(signs) / 8;
    last = without_byte(last, 7 - decimals) | first >> 56;
    first = first << 8 | '0';
  } else if (const std::uint64_t earlier = before ? bytes_that_are(first, decimal) : 0) {
    const int place = __builtin_ctzll(earlier) / 8;
    decimals = 15 - place;
    first = without_byte(first, place) | '0';
  }
  if (!are_digits(last) || (before && !are_digits(first))) return false;
  *found = {number_of_digits(last) + (before ? std::uint64_t(100000000) * number_of_digits(first) : 0), decimals};
  return true;
}

// A point or nothing between digits, up to 18 of them.
inline bool read_digits_and_sign(const char* at, const char* end, char decimal, FewDigits* found) {
  *found = {0, 0};
  const char* sign = nullptr;
  for (; at != end; ++at) {
    if (is_digit(*at)) found->number = found->number * 10 + static_cast<unsigned>(*at - '0');
    else if (*at == decimal && !sign) sign = at;
    else return false;
  }
  if (sign) found->decimals = static_cast<int>(end - sign - 1);
  return true;
}

// A number of few digits without an exponent: digits and a power of ten that doubles hold exactly are divided, which
// rounds as reading it does. Gives false where that can't be decided, and where it is no number.
inline bool read_short_real(std::string_view text, char decimal, double* value) {
  static constexpr double powers[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,
                                  1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18};
  const char* at = text.data();
  const char* const end = at + text.size();
  const bool is_negative = at != end && *at == '-';
  at += is_negative;
  if (end - at > 19 || at == end || !is_digit(*at) || (*at == '0' && end - at > 1 && is_digit(at[1]))) return false;
  FewDigits found;
  if (!(end - at <= 16 ? read_few_digits(at, static_cast<std::size_t>(end - at), decimal, &found)
                       : read_digits_and_sign(at, end, decimal, &found)))
    return false;
  if (found.number >= (std::uint64_t(1) << 53)) return false;
  const double number = static_cast<double>(found.number) / powers[found.decimals];
  return *value = is_negative ? -number : number, true;
}

// Behind a batch's bytes there are at least so many more (csv_batches.h): what is short is read with what follows it.
constexpr std::size_t bytes_behind = 8;

// A field of one to eight bytes, and a minus before them or not. Gives no digits where there are none.
struct FewBytes {
  FewBytes(const char* at, std::size_t field_size) : is_negative(*at == '-'), size(field_size - is_negative) {
    if (size - 1 < 8) digits = shift_digits(word_at<std::uint64_t>(at + is_negative), size);
  }
  bool begins_with_nought() const { return static_cast<char>(digits >> 8 * (8 - size)) == '0'; }
  const bool is_negative;
  const std::size_t size;
  std::uint64_t digits = 0;
};

// The number that read_short_real() gives, of a field of up to eight bytes; false if that can't be decided quickly.
inline bool read_few_real(const char* at, std::size_t size, char decimal, double* value) {
  static constexpr double powers[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7};
  FewBytes few(at, size);
  int decimals = 0;
  if (const std::uint64_t signs = bytes_that_are(few.digits, decimal)) {
    const int place = __builtin_ctzll(signs) / 8;
    // A digit is before it, and no nought but one alone.
    const int first = 8 - static_cast<int>(few.size);
    if (place == first || (few.begins_with_nought() && place != first + 1)) return false;
    decimals = 7 - place;
    few.digits = without_byte(few.digits, place) | '0';
  } else if (few.size > 1 && few.begins_with_nought()) {
    return false;
  }
  if (!are_digits(few.digits)) return false;
  const double number = number_of_digits(few.digits) / powers[decimals];
  return *value = few.is_negative ? -number : number, true;
}

// The same for whole numbers. There is no whole number -0.
inline bool read_few_whole(const char* at, std::size_t size, std::int32_t* value) {
  const FewBytes few(at, size);
  if (!are_digits(few.digits) || (few.begins_with_nought() && (few.size > 1 || few.is_negative))) return false;
  const std::int32_t number = static_cast<std::int32_t>(number_of_digits(few.digits));
  return *value = few.is_negative ? -number : number, true;
}

}  // namespace rowanroot
