// Parts of workbooks as R vectors, and R vectors as the part of a sheet.

#include <cerrno>
#include <charconv>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <map>
#include <memory>
#include <vector>

#include "bind.h"
#include "csv_values.h"
#include "input.h"
#include "workbook.h"
#include "xml.h"
#include "written_column.h"

namespace {

using namespace rowanroot;

// Nothing where there is no such file.
std::string content_of(const std::string& path) { return path.empty() ? "" : content_of_file(path); }

SEXP utf8(const std::string& text) { return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8); }

// What `work` gives; or the `problem`, and the `cell` that has it.
template <class Work>
Rcpp::List guarded(Work work) {
  const auto problem = [](const std::string& what, const std::string& cell) {
    return Rcpp::List::create(Rcpp::Named("problem") = what, Rcpp::Named("cell") = cell);
  };
  try {
    return work();
  } catch (const SheetProblem& error) {
    return problem(error.what, error.cell);
  } catch (const XmlError& error) {
    return problem(error.what(), "");
  } catch (const InputError& error) {
    return problem(error.what(), "");
  }
}

// The values of one column of a sheet.
struct SheetColumn {
  Rcpp::IntegerVector is;
  Rcpp::NumericVector number;
  Rcpp::CharacterVector text;
};

}  // namespace

// The file of the workbook within its package.
// [[Rcpp::export]]
Rcpp::List workbook_file_cpp(std::string relationships) {
  return guarded([&] { return Rcpp::List::create(Rcpp::Named("file") = workbook_file(content_of(relationships))); });
}

// The `names` of the sheets, their `files`, which are `hidden`; the files of `strings` and `styles`; and whether days
// count from 1904.
// [[Rcpp::export]]
Rcpp::List workbook_parts_cpp(std::string workbook, std::string relationships, std::string folder) {
  return guarded([&] {
    const WorkbookParts parts = workbook_parts(content_of(workbook), content_of(relationships), folder);
    Rcpp::CharacterVector names(parts.sheets.size()), files(parts.sheets.size());
    Rcpp::LogicalVector hidden(parts.sheets.size());
    for (std::size_t k = 0; k < parts.sheets.size(); ++k) {
      names[static_cast<R_xlen_t>(k)] = utf8(parts.sheets[k].name);
      files[static_cast<R_xlen_t>(k)] = utf8(parts.sheets[k].file);
      hidden[static_cast<R_xlen_t>(k)] = parts.sheets[k].is_hidden;
    }
    return Rcpp::List::create(Rcpp::Named("names") = names, Rcpp::Named("files") = files,
                              Rcpp::Named("hidden") = hidden, Rcpp::Named("strings") = parts.strings,
                              Rcpp::Named("styles") = parts.styles, Rcpp::Named("from_1904") = parts.counts_from_1904);
  });
}

// How many `rows` a sheet has, and of each column that has something its number `at`, from 1, and for each row what
// there `is`, by the number that CellIs has, the `number` and the `text`.
// [[Rcpp::export]]
Rcpp::List sheet_read_cpp(std::string sheet, std::string strings, std::string styles) {
  return guarded([&] {
    const std::vector<std::string> shared =
        strings.empty() ? std::vector<std::string>() : shared_strings(content_of(strings));
    const SheetCells found = sheet_cells(content_of(sheet), shared,
                                         styles.empty() ? std::vector<NumberIs>() : number_styles(content_of(styles)));
    std::map<std::uint32_t, SheetColumn> columns;
    Rcpp::CharacterVector texts(shared.size() + found.own_texts.size());
    for (std::size_t k = 0; k < static_cast<std::size_t>(texts.size()); ++k)
      texts[static_cast<R_xlen_t>(k)] = utf8(k < shared.size() ? shared[k] : found.own_texts[k - shared.size()]);
    for (const Cell& cell : found.cells) {
      SheetColumn& column = columns[cell.column];
      if (column.is.size() == 0) {
        column.is = Rcpp::IntegerVector(found.rows);
        column.number = Rcpp::NumericVector(found.rows, NA_REAL);
      }
      column.is[cell.row] = static_cast<int>(cell.is);
      column.number[cell.row] = cell.number;
      if (cell.is != CellIs::text && cell.is != CellIs::error) continue;
      if (column.text.size() == 0) column.text = Rcpp::CharacterVector(found.rows, NA_STRING);
      column.text[cell.row] = texts[cell.text];
    }
    Rcpp::List values(columns.size());
    R_xlen_t k = 0;
    for (auto& [at, column] : columns)
      values[k++] = Rcpp::List::create(Rcpp::Named("at") = static_cast<int>(at) + 1, Rcpp::Named("is") = column.is,
                                       Rcpp::Named("number") = column.number, Rcpp::Named("text") = column.text);
    return Rcpp::List::create(Rcpp::Named("rows") = static_cast<double>(found.rows), Rcpp::Named("columns") = values);
  });
}

// [[Rcpp::export]]
std::string cell_name_cpp(int row, int column) {
  return cell_name(static_cast<std::uint32_t>(row - 1), static_cast<std::uint32_t>(column - 1));
}

namespace {

class SheetWriter {
 public:
  SheetWriter(const Rcpp::List& table, const std::vector<int>& styles) {
    for (R_xlen_t k = 0; k < table.size(); ++k) {
      Column column{SEXP(table[k])};
      std::string letters = cell_name(0, static_cast<std::uint32_t>(k));
      letters.pop_back();
      column.start = "<c r=\"" + letters;
      const int style = styles[static_cast<std::size_t>(k)];
      column.middle = "\"" + (style ? " s=\"" + std::to_string(style) + "\"" : std::string()) +
                      (column.type == STRSXP ? " t=\"inlineStr\"" : column.type == LGLSXP ? " t=\"b\"" : "") + ">" +
                      (column.type == STRSXP ? "<is><t xml:space=\"preserve\">" : "<v>");
      columns_.push_back(std::move(column));
    }
  }

  void write(R_xlen_t first, R_xlen_t count, std::string* to) {
    for (Column& column : columns_) column.read(first, count);
    for (R_xlen_t row = 0; row < count; ++row) {
      const std::string number = std::to_string(first + row + 2);
      to->append("<row r=\"").append(number).append("\"");
      const std::size_t before = to->size();
      to->push_back('>');
      for (const Column& column : columns_) write_cell(column, first, row, number, to);
      // A row of missing values is marked, or it would not be known from one that is not there.
      if (to->size() == before + 1) to->resize(before), to->append(" rowanroot:missing=\"1\"/>");
      else to->append("</row>");
    }
  }

 private:
  struct Column : WrittenColumn {
    using WrittenColumn::WrittenColumn;
    std::string start, middle;
  };

  static void write_cell(const Column& column, R_xlen_t first, R_xlen_t row, const std::string& number,
                         std::string* to) {
    if (column.type == STRSXP) {
      const TextBytes& text = column.texts[static_cast<std::size_t>(row)];
      if (!text.bytes) return;
      to->append(column.start).append(number).append(column.middle);
      write_cell_text({text.bytes, static_cast<std::size_t>(text.size)}, to);
      to->append("</t></is></c>");
      return;
    }
    char buffer[32];
    char* end = buffer;
    if (column.type == REALSXP) {
      const double value = static_cast<const double*>(column.values)[first + row];
      if (value != value) return;
      end = std::to_chars(buffer, buffer + sizeof buffer, value).ptr;
    } else {
      const std::int32_t value = static_cast<const std::int32_t*>(column.values)[first + row];
      if (value == missing_integer) return;
      end = std::to_chars(buffer, buffer + sizeof buffer, value).ptr;
    }
    to->append(column.start).append(number).append(column.middle).append(buffer, end).append("</v></c>");
  }

  std::vector<Column> columns_;
};

}  // namespace

// Writes the part of a sheet. Texts must be UTF-8, numbers finite or missing. Gives what the system said if it can't be
// written, or an empty text.
// [[Rcpp::export]]
std::string sheet_write_cpp(Rcpp::List columns, Rcpp::CharacterVector names, double rows, std::vector<int> styles,
                            std::string path) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "wb"), std::fclose);
  if (!file) return std::strerror(errno);
  std::string text =
      "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n"
      "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" "
      "xmlns:mc=\"http://schemas.openxmlformats.org/markup-compatibility/2006\" "
      "mc:Ignorable=\"rowanroot\" xmlns:rowanroot=\"urn:rowanroot:sheet\"><sheetData><row r=\"1\">";
  for (R_xlen_t k = 0; k < names.size(); ++k) {
    text.append("<c r=\"" + cell_name(0, static_cast<std::uint32_t>(k)) +
                "\" t=\"inlineStr\"><is><t xml:space=\"preserve\">");
    write_cell_text(std::string_view(names[k]), &text);
    text.append("</t></is></c>");
  }
  text.append("</row>");
  SheetWriter writer(columns, styles);
  const R_xlen_t all = static_cast<R_xlen_t>(rows);
  for (R_xlen_t first = 0; first < all; first += text_batch) {
    writer.write(first, std::min(text_batch, all - first), &text);
    if (text.size() < (1 << 20)) continue;
    if (std::fwrite(text.data(), 1, text.size(), file.get()) != text.size()) return std::strerror(errno);
    text.clear();
    Rcpp::checkUserInterrupt();
  }
  text.append("</sheetData></worksheet>\n");
  if (std::fwrite(text.data(), 1, text.size(), file.get()) != text.size()) return std::strerror(errno);
  return std::fflush(file.get()) != 0 ? std::strerror(errno) : "";
}
