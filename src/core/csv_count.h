#pragma once
// Counts the records of a piece of CSV, 64 bytes at a time.

#include <cstddef>

namespace rowanroot {

struct CsvCount {
  std::size_t records = 0, lines = 0;
  const char* next = nullptr;  // behind the last record, and behind blank lines that follow it
  bool has_others = false;     // carriage returns, noughts, bytes that are not ASCII
};

enum class Counted { yes, unusual, incomplete };

// Of the records that begin from `first` on, before `last`, in bytes that go on to `end`. Unusual are quotes anywhere
// but around fields, a carriage return that no line feed follows, and blank lines that have one. Incomplete is what
// goes on behind `end`, unless that is where the file ends.
Counted count_records(const char* first, const char* last, const char* end, bool is_whole, char separator,
                      bool skips_blank_lines, CsvCount* count);

}  // namespace rowanroot
