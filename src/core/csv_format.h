#pragma once
// How a CSV file is to be read, and what is wrong with one.

#include <cstddef>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace rowanroot {

struct CsvFormat {
  char separator = ',';
  char decimal = '.';
  char comment = '\0';                              // a line that begins with it is not a record; NUL: there are none
  std::vector<std::string> missing = {"", "NA"};    // what stands for a missing value, if it is not quoted
  bool has_header = true;
  std::vector<std::string> names;                   // instead of those in the header
  bool allows_short = false,
       allows_long = false;  // records with too few fields: the rest is missing; with too many: they are dropped

  bool is_missing(std::string_view text) const {
    for (const std::string& mark : missing)
      if (text == mark) return true;
    return false;
  }
};

struct CsvError : std::runtime_error {
  CsvError(const std::string& kind, std::size_t line, std::size_t found = 0, std::size_t expected = 0,
           const std::string& value = "")
      : std::runtime_error(kind), kind(kind), line(line), found(found), expected(expected), value(value) {}
  // too_many_fields, too_few_fields, open_quote, text_after_quote, nul_byte, not_utf8, empty_name, repeated_name,
  // no_header, other_names, long_field, changed, unreadable
  std::string kind;
  std::size_t line;  // from 1, or from 0 in a piece of a file
  std::size_t found, expected;
  std::string value;
  std::size_t file = 0;  // from 0, of those that are read together
};

}  // namespace rowanroot
