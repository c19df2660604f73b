#pragma once
// Sheets of workbooks, as ECMA-376 has them: what is in their parts, which are XML files.

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace rowanroot {

// What a sheet's part says of itself: its name, its file within the workbook, and whether it can be seen.
struct SheetPart {
  std::string name, file;
  bool is_hidden;
};

struct WorkbookParts {
  std::vector<SheetPart> sheets;
  std::string strings, styles;  // files, or nothing
  bool counts_from_1904 = false;
};

// From xl/workbook.xml and the relationships beside it; `folder` is where workbook.xml is. Throws XmlError.
WorkbookParts workbook_parts(std::string_view workbook, std::string_view relationships, const std::string& folder);

// Where the workbook is in its package, from _rels/.rels.
std::string workbook_file(std::string_view relationships);

std::vector<std::string> shared_strings(std::string_view strings);

// What numbers are where a cell has a style: numbers, days with or without a time, times that are shown without their
// day, durations.
enum class NumberIs : std::uint8_t { number, moment, time_of_day, duration };
std::vector<NumberIs> number_styles(std::string_view styles);

// What a cell holds. `unsaved` is a formula whose value is not in the file.
enum class CellIs : std::uint8_t { blank, number, moment, duration, text, logical, error, unsaved };

struct Cell {
  std::uint32_t row, column;  // from 0
  CellIs is;
  std::uint32_t text =
      0;  // which of the shared strings, or of those that the sheet has itself, which count on from them
  double number = 0;
};

struct SheetProblem {
  std::string cell, what;
};

// The cells of a sheet that are not blank, row by row, and how many rows there are: up to the last cell, or the last
// row that write_sheet() has marked as one of missing values. Throws XmlError and SheetProblem.
struct SheetCells {
  std::vector<Cell> cells;
  std::vector<std::string> own_texts;
  std::uint32_t rows = 0;
};
SheetCells sheet_cells(std::string_view sheet, const std::vector<std::string>& strings,
                       const std::vector<NumberIs>& styles);

// A1 is row 0, column 0.
std::string cell_name(std::uint32_t row, std::uint32_t column);

// A text as a cell has it: characters that XML has not are written by their numbers, as in _x0007_.
void write_cell_text(std::string_view text, std::string* to);

}  // namespace rowanroot
