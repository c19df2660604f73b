// What is in a table, as a number that does not depend on the order of its rows.

#include <Rcpp.h>

#include <cstdint>
#include <cstdio>
#include <cstring>
#include <string>

#include "values.h"

namespace {

using namespace rowanroot;

// Mixes all bits: the last step of MurmurHash3, by Austin Appleby.
std::uint64_t mixed(std::uint64_t x) {
  x ^= x >> 33;
  x *= 0xFF51AFD7ED558CCDull;
  x ^= x >> 33;
  x *= 0xC4CEB9FE1A85EC53ull;
  return x ^ x >> 33;
}

std::uint64_t text_number(const char* bytes, std::size_t size, std::uint64_t start) {
  std::uint64_t number = start ^ size;
  while (size > 0) {
    std::uint64_t eight = 0;
    const std::size_t count = size < 8 ? size : 8;
    std::memcpy(&eight, bytes, count);
    number = mixed(number ^ eight) + 0x9E3779B97F4A7C15ull;
    bytes += count, size -= count;
  }
  return mixed(number);
}

constexpr std::uint64_t missing_number = 0x5A17B3C94E60D281ull, not_a_number = 0x2D3E8C61F7094BA5ull;

// The value of a column in a row as a number: whole numbers have the same whatever their type.
std::uint64_t value_number(SEXP column, bool is_long, R_xlen_t row, std::uint64_t start) {
  switch (TYPEOF(column)) {
    case LGLSXP: case INTSXP: {
      const int value = INTEGER(column)[row];
      return mixed(start ^ (value == missing_integer ? missing_number
                                                     : static_cast<std::uint64_t>(static_cast<std::int64_t>(value))));
    }
    case REALSXP: {
      std::uint64_t bits;
      std::memcpy(&bits, REAL(column) + row, sizeof bits);
      if (is_long)
        return mixed(start ^ (static_cast<std::int64_t>(bits) == missing_long_integer ? missing_number : bits));
      const double value = REAL(column)[row];
      return mixed(start ^ (value == value ? bits : is_missing_real(value) ? missing_number : not_a_number));
    }
    case STRSXP: {
      const SEXP text = STRING_ELT(column, row);
      return text == NA_STRING ? mixed(start ^ missing_number)
                               : text_number(CHAR(text), static_cast<std::size_t>(LENGTH(text)), start);
    }
    default: throw std::invalid_argument("a column has no single values");
  }
}

}  // namespace

// The number, as text, of all rows of these columns and of those that `before` is the number of: the sum of the rows'
// own, of 128 bits.
// [[Rcpp::export]]
std::string content_number_cpp(Rcpp::List columns, double rows, std::string before) {
  unsigned long long sums[2] = {0, 0};
  if (!before.empty() && std::sscanf(before.c_str(), "%16llx%16llx", sums, sums + 1) != 2)
    throw std::invalid_argument("it is no such number");
  for (R_xlen_t row = 0; row < static_cast<R_xlen_t>(rows); ++row) {
    std::uint64_t lanes[2] = {0x243F6A8885A308D3ull, 0x13198A2E03707344ull};
    for (R_xlen_t k = 0; k < columns.size(); ++k) {
      SEXP column = columns[k];
      const bool is_long = Rf_inherits(column, "integer64");
      for (std::uint64_t& lane : lanes)
        lane = value_number(column, is_long, row, lane * 0x9E3779B97F4A7C15ull + static_cast<std::uint64_t>(k));
    }
    for (int k = 0; k < 2; ++k) sums[k] += mixed(lanes[k]);
  }
  char text[40];
  std::snprintf(text, sizeof text, "%016llx%016llx", sums[0], sums[1]);
  return text;
}
