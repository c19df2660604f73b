#include "fast.h"

#include "shortest.h"

#include <array>
#include <cstring>
#include <vector>

// After R. Giulietti, "The Schubfach way to render doubles" (2020): each double has an interval of numbers that are
// read as it. Its ends, as multiples of the largest power of ten that leaves at least two such multiples within it, are
// found with 64 x 128 bits, and so whether there is a number of one digit fewer in it.

namespace rowanroot {
namespace {

__extension__ typedef unsigned __int128 Wide;

constexpr int least_power = -292, greatest_power = 324;

// The logarithms, rounded down.
int log2_of_power_of_ten(int power) { return (power * 1741647) >> 19; }
int log10_of_power_of_two(int power) { return (power * 1262611) >> 22; }
int log10_of_three_quarters(int power) { return (power * 1262611 - 524031) >> 22; }

// The first 128 bits of a number, rounded up where others follow.
struct Bits128 {
  std::uint64_t high, low;
};

// A whole number of any size, the lowest 32 bits first.
class Large {
 public:
  explicit Large(std::size_t zeros) : words_(zeros / 32 + 1) { words_.back() = std::uint32_t(1) << zeros % 32; }

  void times_ten() {
    std::uint64_t carry = 0;
    for (std::uint32_t& word : words_) {
      carry += std::uint64_t(word) * 10;
      word = static_cast<std::uint32_t>(carry);
      carry >>= 32;
    }
    if (carry) words_.push_back(static_cast<std::uint32_t>(carry));
  }

  // Rounded down, from what is rounded down: the same as if that had been done once.
  void by_ten() {
    std::uint64_t rest = 0;
    for (std::size_t k = words_.size(); k-- > 0;) {
      rest = rest << 32 | words_[k];
      words_[k] = static_cast<std::uint32_t>(rest / 10);
      rest %= 10;
    }
    while (words_.back() == 0) words_.pop_back();
    is_exact_ = is_exact_ && rest == 0;
  }

  Bits128 first_bits() const {
    std::size_t at = 32 * words_.size();
    while (!bit(at - 1)) --at;
    Wide bits = 0;
    for (int k = 0; k < 128; ++k) bits = bits << 1 | (at > 0 && bit(--at));
    bool more = !is_exact_;
    while (at > 0) more = bit(--at) || more;
    bits += more;
    return {static_cast<std::uint64_t>(bits >> 64), static_cast<std::uint64_t>(bits)};
  }

 private:
  bool bit(std::size_t place) const { return words_[place / 32] >> place % 32 & 1; }

  std::vector<std::uint32_t> words_;
  bool is_exact_ = true;
};

class PowersOfTen {
 public:
  PowersOfTen() {
    Large power(0);
    for (int k = 0; k <= greatest_power; ++k, power.times_ten()) at(k) = power.first_bits();
    // Enough bits that 128 are left of the least.
    Large inverse(1120);
    for (int k = -1; k >= least_power; --k) {
      inverse.by_ten();
      at(k) = inverse.first_bits();
    }
  }
  const Bits128& operator[](int power) const { return bits_[static_cast<std::size_t>(power - least_power)]; }

 private:
  Bits128& at(int power) { return bits_[static_cast<std::size_t>(power - least_power)]; }

  std::array<Bits128, greatest_power - least_power + 1> bits_;
};

// The first bits of the product, the last of them set if any behind them is.
std::uint64_t product(const Bits128& power, std::uint64_t number) {
  const Wide low = Wide(power.low) * number;
  const Wide high = Wide(power.high) * number + static_cast<std::uint64_t>(low >> 64);
  return static_cast<std::uint64_t>(high >> 64) | (static_cast<std::uint64_t>(high) > 1);
}

Decimal without_noughts(std::uint64_t digits, int exponent) {
  if (digits % 100000000 == 0) digits /= 100000000, exponent += 8;
  while (digits % 100 == 0) digits /= 100, exponent += 2;
  if (digits % 10 == 0) digits /= 10, ++exponent;
  return {digits, exponent};
}

}  // namespace

Decimal shortest_decimal(double value) {
  static const PowersOfTen powers;
  constexpr std::uint64_t hidden = std::uint64_t(1) << 52;
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  const std::uint64_t fraction = bits & (hidden - 1);
  const int biased = static_cast<int>(bits >> 52 & 0x7FF);
  const std::uint64_t whole = biased ? hidden | fraction : fraction;
  const int power = biased ? biased - 1075 : -1074;
  // Below a power of two, doubles are half as far apart as above it.
  const bool is_closer_below = fraction == 0 && biased > 1;
  const int exponent = is_closer_below ? log10_of_three_quarters(power) : log10_of_power_of_two(power);
  const int shift = power + log2_of_power_of_ten(-exponent) + 1;
  const Bits128& ten = powers[-exponent];
  // Four times the number, and the ends of its interval, which belong to it if the number is even.
  const std::uint64_t is_open = whole & 1;
  const std::uint64_t lower = product(ten, (4 * whole - 2 + is_closer_below) << shift) + is_open;
  const std::uint64_t number = product(ten, 4 * whole << shift);
  const std::uint64_t upper = product(ten, (4 * whole + 2) << shift) - is_open;
  const std::uint64_t digits = number / 4, fewer = digits / 10;
  if (digits >= 10) {
    const bool has_below = lower <= 40 * fewer, has_above = 40 * fewer + 40 <= upper;
    if (has_below != has_above) return without_noughts(fewer + has_above, exponent + 1);
  }
  const bool has_below = lower <= 4 * digits, has_above = 4 * digits + 4 <= upper;
  // Where both are in the interval, or none: the nearer, or the even one.
  const std::uint64_t middle = 4 * digits + 2;
  const bool is_nearer = (number > middle) | ((number == middle) & (digits & 1));
  const std::uint64_t found = digits + (has_below != has_above ? has_above : is_nearer);
  return found == 10 ? Decimal{1, exponent + 1} : Decimal{found, exponent};
}

}  // namespace rowanroot
