#pragma once
// The values of CSV files of one shape, as columns of all their rows.

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "csv_file.h"
#include "memory.h"

namespace rowanroot {

// What every value of a column could be read as. A column where nothing is known could be all of them. Date-times have
// an offset, clock times have none. An empty text in quotes is a missing number or date, and makes a column that has
// nothing else text.
enum Kinds : unsigned {
  could_be_logical = 1,
  could_be_integer = 2,
  could_be_real = 4,
  could_be_date = 8,
  could_be_moment = 16,
  could_be_clock = 32,
  has_no_empty_text = 64,
  could_be_all = 127
};

enum class CsvType { logical, integer, real, long_integer, date, time, coded_text, text };

// A column that is wanted: where it is in each file, and where its values go, for all rows, file by file. Logicals and
// integers are 32 bits wide, codes of texts too, which count from 1; where texts begin on their page, too; the rest is
// 64 bits wide.
struct CsvColumn {
  CsvType type;
  std::vector<std::size_t> in_file;
  void* values = nullptr;
  std::int32_t* sizes = nullptr;  // of texts that are not coded; a missing one has missing_integer
};

// A real number in a column of integers.
struct CsvReal {
  std::size_t row;
  double value;
};

// What became of it.
struct CsvFound {
  unsigned kinds = could_be_all;  // what all values could be
  std::vector<unsigned> file_kinds;  // and those of each file
  // Values that are none of the type; they are missing in the column.
  std::size_t misfits = 0;
  std::size_t file = 0, line = 0;  // of the first
  std::string misfit;
  // Of integers: all that are none of them, if these are real numbers, and few.
  std::vector<CsvReal> reals;
  // Of coded texts: the different ones. With more than there may be, nothing is to be had of the column.
  std::vector<std::string> texts;
  bool has_too_many = false;
};

// The bytes of texts, or of the piece of a file that they lie in, which columns share; and how many rows they are of.
struct CsvPage {
  RowBytes bytes;
  std::shared_ptr<Buffer<char>> piece;
  std::size_t rows;
  const char* data() const { return piece ? piece->data() : bytes.data(); }
};

struct CsvContent {
  std::vector<CsvFound> columns;
  std::vector<std::vector<CsvPage>> pages;  // of each column that is text
};

// Pieces of all files, one after the other, from the first to the last, which is not included.
struct CsvChunk {
  std::size_t first = 0, last = static_cast<std::size_t>(-1);
};

// Chunks of whole pieces, each of one file and of about so many bytes at most, with the file and the rows of each.
struct CsvChunkOfFile {
  CsvChunk chunk;
  std::size_t file, rows;
};
std::vector<CsvChunkOfFile> csv_chunks(const std::vector<std::shared_ptr<CsvFile>>& files, std::uint64_t bytes);

// Throws CsvError. Values of a chunk go where those of the first row
// of all would.
CsvContent read_csv(const std::vector<std::shared_ptr<CsvFile>>& files, const std::vector<CsvColumn>& columns,
                    Workers threads, CsvChunk chunk = {});

// A column of integers as real numbers, with those that it could not hold.
void put_as_reals(const std::int32_t* values, std::size_t rows, const std::vector<CsvReal>& reals,
                  const Workers& threads, double* to);

// The file and the line, both from 0, on which a row of all files begins. Throws as read_csv() does.
struct CsvLine {
  std::size_t file, line;
};
CsvLine line_of_row(const std::vector<std::shared_ptr<CsvFile>>& files, std::size_t row);

// What the values of each column could be, and whether few are different, to judge by some of the rows. The latter is
// known only of columns of type text, and of those whose values can be nothing else.
struct CsvGuess {
  unsigned kinds = could_be_all;
  bool is_few = true;
};
std::vector<CsvGuess> guess_csv(const std::vector<std::shared_ptr<CsvFile>>& files,
                                const std::vector<CsvColumn>& columns);

}  // namespace rowanroot
