#pragma once
// Reading CSV: RFC 4180, with any line end, a byte order mark, and quotes where they are not needed.
// Nothing is dropped or repaired silently: what is wrong is thrown as a CsvError with its line.

#include <cstdint>
#include <memory>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace rowanroot {

struct CsvError : std::runtime_error {
  CsvError(const std::string& kind, std::size_t line, std::size_t found = 0, std::size_t expected = 0,
           const std::string& value = "")
      : std::runtime_error(kind), kind(kind), line(line), found(found), expected(expected), value(value) {}
  // too_many_fields, too_few_fields, open_quote, text_after_quote, nul_byte, not_utf8, empty_name,
  // repeated_name, no_header
  std::string kind;
  std::size_t line;
  std::size_t found, expected;
  std::string value;
};

// What every value of a column could be read as. A column where nothing is known could be all of them.
enum Kinds : unsigned { could_be_logical = 1, could_be_integer = 2, could_be_real = 4, could_be_date = 8, could_be_all = 15 };

class CsvFile {
 public:
  CsvFile(std::string bytes, char separator);
  CsvFile(const CsvFile&) = delete;
  CsvFile& operator=(const CsvFile&) = delete;

  const std::vector<std::string>& names() const { return names_; }
  std::size_t rows() const { return lines_.size(); }
  unsigned kinds(std::size_t column) const;

  struct Field {
    const char* start;
    std::uint32_t size;
    bool quoted;
    std::string_view text() const { return {start, size}; }
    // Nothing between the separators, or the letters NA.
    bool is_missing() const { return !quoted && (size == 0 || text() == "NA"); }
  };
  const Field& field(std::size_t column, std::size_t row) const { return fields_[row * names_.size() + column]; }
  // The line that a row starts on; the header is on line 1.
  std::size_t line(std::size_t row) const { return lines_[row]; }

  class Reader;

 private:
  std::string bytes_;
  std::vector<std::string> names_;
  std::vector<Field> fields_;
  std::vector<std::size_t> lines_;
};

// The names in the header of a file of which these are the first bytes. Gives false if more bytes are
// needed.
bool read_csv_header(std::string first_bytes, bool is_whole_file, char separator, std::vector<std::string>* names);

// The text without the blanks around it, in which form numbers, dates and logicals are read.
std::string_view trimmed(std::string_view text);

}  // namespace rowanroot
