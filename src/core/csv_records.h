#pragma once
// Bytes cut into records and fields: RFC 4180, with any line end, and quotes where they are not needed. Nothing is
// dropped or repaired silently.

#include <array>
#include <cstdint>
#include <string_view>
#include <vector>

#include "csv_blocks.h"
#include "csv_format.h"
#include "memory.h"

namespace rowanroot {

struct CsvField {
  const char* start;
  std::uint32_t size;
  bool quoted;
  std::string_view text() const { return {start, size}; }
};

class CsvRecords {
 public:
  // Doubled quotes are replaced in place: a field never gets longer. If the bytes are not the file's last, what needs
  // more of them throws Incomplete.
  CsvRecords(char* first, char* end, bool is_last, const CsvFormat& format);

  struct Incomplete {};

  // Goes on to the beginning of the next record, past blank lines (unless a record has one field, which may be missing)
  // and comments. False at the end of the bytes.
  bool find_record(bool skips_blank_lines);

  // The fields of the record that begins here are added.
  void read(std::vector<CsvField>* fields);

  // Of records that begin here and follow each other without a blank line or a comment: the fields of as many as there
  // are, of so many fields each, and at most so many records, and the line on which each begins. Another record ends
  // that, and is left, as is one near the end of the bytes. Gives the number of records.
  std::size_t read_usual(std::size_t fields_of_each, std::size_t most_records, CsvField* fields, std::size_t* lines);

  // Past the record that begins here.
  void skip();

  // To behind the next line end; false if there is none.
  bool skip_line();

  char* at() const { return at_; }
  std::size_t line() const { return line_; }  // of these bytes, from 0

 private:
  bool at_end() const { return at_ == end_; }
  void skip_line_end();
  char* find_end(char* at);
  CsvField plain_field();
  CsvField quoted_field(bool is_skipped);
  struct Usual;
  bool read_usual_record(std::size_t count, CsvField* fields);
  char* usual_end(char* at, Usual* usual);
  void undouble(CsvField* field);
  void need_more() const { if (!is_last_) throw Incomplete(); }

  char* at_;
  char* const end_;
  const bool is_last_;
  const char separator_, comment_;
  std::array<bool, 256> ends_field_ = {};
  std::size_t line_ = 0;
  // 64 bytes that were looked at together, and which of them end a field, quotes or not.
  char* block_ = nullptr;
  std::uint64_t ends_ = 0;
  // The same of usual records, and where those end.
  CsvBlocks blocks_;
  char *usual_block_ = nullptr, *usual_next_ = nullptr;
  // Of the record that is read, the fields with doubled quotes; and a text without them.
  std::vector<std::size_t> doubled_;
  RowVector<char> undoubled_;
};

}  // namespace rowanroot
