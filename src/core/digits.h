#pragma once
// Digits two at a time, bytes eight at a time.

#include <cstddef>
#include <cstdint>
#include <cstring>

namespace rowanroot {

inline bool is_digit(char c) { return c >= '0' && c <= '9'; }

// Those of a number below 100, put where there is room for two; gives what is behind them.
inline char* put_two_digits(std::uint32_t number, char* to) {
  static constexpr char digits[] =
      "0001020304050607080910111213141516171819202122232425262728293031323334353637383940414243444546474849"
      "5051525354555657585960616263646566676869707172737475767778798081828384858687888990919293949596979899";
  std::memcpy(to, digits + 2 * number, 2);
  return to + 2;
}

// Of a number below 100,000, without noughts before it.
inline char* put_few_digits(std::uint32_t number, char* to) {
  if (number >= 10000) *to++ = static_cast<char>('0' + number / 10000), number %= 10000;
  else if (number < 10) return *to = static_cast<char>('0' + number), to + 1;
  else if (number < 100) return put_two_digits(number, to);
  else if (number < 1000) return *to = static_cast<char>('0' + number / 100), put_two_digits(number % 100, to + 1);
  return put_two_digits(number % 100, put_two_digits(number / 100, to));
}

template <class Word>
Word word_at(const char* at) {
  Word word;
  std::memcpy(&word, at, sizeof word);
  return word;
}

// Up to eight bytes as a number, the first of them in its lowest byte.
inline std::uint64_t load_few(const char* at, std::size_t size) {
#if __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__
  if (size == 8) return word_at<std::uint64_t>(at);
  if (size >= 4)
    return word_at<std::uint32_t>(at) | std::uint64_t(word_at<std::uint32_t>(at + size - 4)) << (8 * (size - 4));
#endif
  std::uint64_t all = 0;
  for (std::size_t k = size; k-- > 0;) all = all << 8 | static_cast<unsigned char>(at[k]);
  return all;
}

// Of eight bytes, those that are this sign have their highest bit set; others may have it behind the first that is.
inline std::uint64_t bytes_that_are(std::uint64_t bytes, char sign) {
  constexpr std::uint64_t ones = 0x0101010101010101ull, highs = 0x8080808080808080ull;
  const std::uint64_t same = bytes ^ (ones * static_cast<unsigned char>(sign));
  return (same - ones) & ~same & highs;
}

}  // namespace rowanroot
