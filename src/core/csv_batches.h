#pragma once
// The records of a piece of a CSV file, a few rows at a time; where the pieces of several files lie in all their rows.

#include <functional>
#include <memory>
#include <vector>

#include "csv_file.h"
#include "csv_records.h"
#include "memory.h"

namespace rowanroot {

// Fields row by row, the line on which each row begins, and the bytes of the piece that they all lie in.
struct CsvBatch {
  std::vector<CsvField> fields;
  std::vector<std::size_t> lines;
  const char* bytes = nullptr;
  std::size_t rows() const { return lines.size(); }
};

// Reads the records of a piece and checks how many fields each has: visit(batch, rows before it in the piece). If not
// all are wanted, there may be fewer than are asked for, where they are longer than those behind them. Gives the bytes
// that fields lie in.
Buffer<char> each_batch(const CsvFile& file, const CsvPiece& piece, std::size_t most_rows,
                        const std::function<void(const CsvBatch&, std::size_t)>& visit);

// A piece of a file, and the row of all files at which it begins.
struct CsvPlace {
  std::size_t file;
  CsvPiece piece;
  std::size_t row;
};

// Those of all files, one after the other.
std::vector<CsvPlace> all_places(const std::vector<std::shared_ptr<CsvFile>>& files);

}  // namespace rowanroot
