#pragma once
// One column of CSV files: its values are put where they belong, batch by batch.

#include <string>
#include <string_view>
#include <vector>

#include "csv_batches.h"
#include "csv_read.h"
#include "text_numbering.h"

namespace rowanroot {

// More different texts than that are not worth a number each.
constexpr std::size_t most_different_texts = 1 << 16;

// More real numbers among the integers of a piece than that are not kept.
constexpr std::size_t most_reals = 1 << 12;

// What a field that is not missing could be, whatever is expected of its column; of Kinds.
unsigned kinds_of_field(const CsvField& field, char decimal);

// A column's part of a piece.
struct CsvPart {
  unsigned kinds = could_be_all;
  std::size_t misfits = 0, line = 0;
  std::string misfit;
  std::vector<CsvReal> reals;
  RowBytes page;
  bool is_in_piece = false;  // the bytes of texts are those of the piece, and there is no page
  int worker = 0;  // whose numbers the texts have
};

class CsvColumnReader {
 public:
  // Of a piece with so many rows.
  CsvColumnReader(const CsvFile& file, const CsvColumn& column, std::size_t in_file, std::size_t rows, CsvPart* part,
                  TextNumbering* numbering)
      : format_(file.format()),
        usual_marks_(format_.missing == std::vector<std::string>{"", "NA"}),
        columns_(file.names().size()),
        column_(column),
        in_file_(in_file),
        rows_(rows),
        part_(part),
        numbering_(numbering) {}

  // The batch's first row is this row of the column.
  void read(const CsvBatch& batch, std::size_t row);

 private:
  bool is_missing(const CsvField& field) const {
    if (field.quoted) return false;
    if (!usual_marks_) return format_.is_missing(field.text());
    return field.size == 0 || (field.size == 2 && field.start[0] == 'N' && field.start[1] == 'A');
  }
  template <class Visit>
  void each_field(const CsvBatch& batch, Visit visit);
  struct NoFew {
    bool operator()(const char*, std::size_t, const void*) const { return false; }
  };
  template <class T, class Read, class ReadFew = NoFew>
  void read_values(const CsvBatch& batch, std::size_t row, T missing, Read read, ReadFew read_few = {});
  bool read_time(std::string_view text, double* value);
  void read_codes(const CsvBatch& batch, std::size_t row);
  void read_texts(const CsvBatch& batch, std::size_t row);
  void take_texts(const CsvBatch& batch, std::size_t row);
  void reserve(const CsvBatch& batch);
  void note_misfit(std::string_view text, std::size_t line, std::size_t row);
  void note_kinds(const CsvField& field);

  const CsvFormat& format_;
  const bool usual_marks_;
  const std::size_t columns_;
  const CsvColumn& column_;
  const std::size_t in_file_, rows_;
  CsvPart* const part_;
  TextNumbering* const numbering_;
  std::vector<std::uint32_t> hashes_;
  std::size_t texts_read_ = 0;
};

}  // namespace rowanroot
