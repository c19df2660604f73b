#pragma once
// A CSV file: its columns, and where pieces of it begin, each with whole records. Its values are read by csv_read.h.

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "csv_format.h"
#include "csv_records.h"
#include "input.h"
#include "rounds.h"

namespace rowanroot {

// The names in the header alone.
std::vector<std::string> csv_names(const Input& input, const CsvFormat& format);

// The kind of CsvError: "changed" or "unreadable".
std::string input_problem(const InputError& error);

// Bytes from `first` to `next`, with these rows and line ends; `row` and `line` are those that come before.
struct CsvPiece {
  std::uint64_t first = 0, next = 0;
  std::size_t rows = 0, lines = 0;
  std::size_t row = 0, line = 0;
};

class CsvFile {
 public:
  // Looks for the pieces, of about so many bytes, and at all bytes. Throws CsvError and InputError.
  CsvFile(std::shared_ptr<const Input> input, const CsvFormat& format, Workers threads,
          std::size_t piece_bytes = (std::size_t(1) << 22) - (std::size_t(1) << 17));

  const CsvFormat& format() const { return format_; }
  const std::vector<std::string>& names() const { return names_; }
  std::size_t rows() const { return rows_; }
  const std::vector<CsvPiece>& pieces() const { return pieces_; }
  const Input& input() const { return *input_; }

  // With one field in each record an empty line is a missing value.
  bool skips_blank_lines() const { return names_.size() > 1; }

 private:
  std::shared_ptr<const Input> input_;
  CsvFormat format_;
  std::vector<std::string> names_;
  std::vector<CsvPiece> pieces_;
  std::size_t rows_ = 0;
};

}  // namespace rowanroot
