// CSV files as R vectors, and back.

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <memory>
#include <vector>

#include "csv_read.h"
#include "csv_values.h"
#include "csv_write.h"
#include "late_texts.h"

namespace {

using namespace rowanroot;
using CsvPointer = Rcpp::XPtr<CsvFile>;

std::string read_bytes(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::string bytes((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
  if (!file && !file.eof()) Rcpp::stop("it can't be read");
  return bytes;
}

// The error as data: R words it.
Rcpp::List problem(const CsvError& error) {
  return Rcpp::List::create(Rcpp::Named("kind") = error.kind, Rcpp::Named("line") = static_cast<double>(error.line),
                            Rcpp::Named("found") = static_cast<double>(error.found),
                            Rcpp::Named("expected") = static_cast<double>(error.expected),
                            Rcpp::Named("value") = error.value);
}

Rcpp::CharacterVector utf8(const std::vector<std::string>& texts) {
  Rcpp::CharacterVector result(texts.size());
  for (std::size_t i = 0; i < texts.size(); ++i)
    result[i] = Rf_mkCharLenCE(texts[i].data(), static_cast<int>(texts[i].size()), CE_UTF8);
  return result;
}

template <class Vector, class T>
Vector read_column(const CsvFile& file, std::size_t column, T missing, bool (*read)(std::string_view, T*)) {
  Vector result(file.rows());
  for (std::size_t row = 0; row < file.rows(); ++row) {
    const CsvFile::Field& field = file.field(column, row);
    T value = missing;
    if (!field.is_missing()) read(trimmed(field.text()), &value);
    result[row] = value;
  }
  return result;
}

Rcpp::CharacterVector read_text(const CsvFile& file, std::size_t column) {
  Rcpp::CharacterVector result(file.rows());
  for (std::size_t row = 0; row < file.rows(); ++row) {
    const CsvFile::Field& field = file.field(column, row);
    result[row] = field.is_missing() ? NA_STRING : Rf_mkCharLenCE(field.start, static_cast<int>(field.size), CE_UTF8);
  }
  return result;
}

// Writes rows of a table, some at once.
class CsvWriter {
 public:
  CsvWriter(const Rcpp::List& columns, char separator) : columns_(columns), separator_(separator), readers_(columns.size()), texts_(columns.size()) {
    for (std::size_t k = 0; k < readers_.size(); ++k) {
      if (TYPEOF(columns_[k]) != STRSXP) continue;
      readers_[k] = new_text_reader(columns_[k]);
      texts_[k].resize(text_batch);
    }
  }

  void write(R_xlen_t first, R_xlen_t count, std::string* to) {
    for (std::size_t k = 0; k < readers_.size(); ++k)
      if (readers_[k]) readers_[k]->read(first, count, texts_[k].data());
    for (R_xlen_t row = 0; row < count; ++row) {
      for (std::size_t k = 0; k < readers_.size(); ++k) {
        if (k) to->push_back(separator_);
        const TextBytes* const text = readers_[k] ? &texts_[k][row] : nullptr;
        if (!text) write_number(columns_[k], first + row, to);
        else if (text->bytes) write_field(std::string_view(text->bytes, static_cast<std::size_t>(text->size)), separator_, to);
      }
      to->push_back('\n');
    }
  }

 private:
  static void write_number(SEXP column, R_xlen_t row, std::string* to) {
    switch (TYPEOF(column)) {
      case LGLSXP: return write_field(LOGICAL_RO(column)[row], true, to);
      case INTSXP: return write_field(INTEGER_RO(column)[row], false, to);
      default: return write_field(REAL_RO(column)[row], to);
    }
  }

  const Rcpp::List columns_;
  const char separator_;
  std::vector<std::unique_ptr<TextReader>> readers_;
  std::vector<std::vector<TextBytes>> texts_;
};

}  // namespace

// [[Rcpp::export]]
Rcpp::List csv_header_cpp(std::string path, std::string separator) {
  std::vector<std::string> names;
  try {
    std::ifstream file(path, std::ios::binary);
    std::string bytes;
    for (std::size_t more = 65536; ; more *= 4) {
      const std::size_t before = bytes.size();
      bytes.resize(before + more);
      file.read(&bytes[before], static_cast<std::streamsize>(more));
      bytes.resize(before + static_cast<std::size_t>(file.gcount()));
      if (read_csv_header(bytes, !file, separator.at(0), &names)) break;
    }
  } catch (const CsvError& error) {
    return Rcpp::List::create(Rcpp::Named("problem") = problem(error));
  }
  return Rcpp::List::create(Rcpp::Named("names") = utf8(names));
}

// [[Rcpp::export]]
Rcpp::List csv_open_cpp(std::string path, std::string separator) {
  try {
    CsvPointer file(new CsvFile(read_bytes(path), separator.at(0)), true);
    Rcpp::IntegerVector kinds(file->names().size());
    for (R_xlen_t column = 0; column < kinds.size(); ++column) kinds[column] = static_cast<int>(file->kinds(column));
    return Rcpp::List::create(Rcpp::Named("file") = file, Rcpp::Named("names") = utf8(file->names()),
                              Rcpp::Named("kinds") = kinds,
                              Rcpp::Named("rows") = static_cast<double>(file->rows()));
  } catch (const CsvError& error) {
    return Rcpp::List::create(Rcpp::Named("problem") = problem(error));
  }
}

// `column` is counted from 1. The type must be one that csv_open_cpp() found possible.
// [[Rcpp::export]]
SEXP csv_column_cpp(SEXP file, int column, std::string type) {
  const CsvFile& csv = *CsvPointer(file);
  const std::size_t index = column - 1;
  if (type == "logical") return read_column<Rcpp::LogicalVector, std::int32_t>(csv, index, NA_LOGICAL, read_logical);
  if (type == "integer") return read_column<Rcpp::IntegerVector, std::int32_t>(csv, index, NA_INTEGER, read_integer);
  if (type == "double") return read_column<Rcpp::NumericVector, double>(csv, index, NA_REAL, read_real);
  if (type == "date") return read_column<Rcpp::NumericVector, double>(csv, index, NA_REAL, read_date);
  return read_text(csv, index);
}

// Texts must be UTF-8. Gives an empty text, or what the system said.
// [[Rcpp::export]]
std::string csv_write_cpp(Rcpp::List columns, Rcpp::CharacterVector names, double rows, std::string path, std::string separator) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "wb"), std::fclose);
  if (!file) return std::strerror(errno);
  constexpr std::size_t enough = 1 << 20;
  std::string text;
  const auto put = [&] {
    const bool written = std::fwrite(text.data(), 1, text.size(), file.get()) == text.size();
    text.clear();
    return written;
  };
  for (R_xlen_t k = 0; k < names.size(); ++k) {
    if (k) text.push_back(separator[0]);
    write_field(std::string_view(names[k]), separator[0], &text);
  }
  text.push_back('\n');
  CsvWriter writer(columns, separator[0]);
  const R_xlen_t all = static_cast<R_xlen_t>(rows);
  for (R_xlen_t first = 0; first < all; first += text_batch) {
    writer.write(first, std::min(text_batch, all - first), &text);
    if (text.size() < enough) continue;
    if (!put()) return std::strerror(errno);
    Rcpp::checkUserInterrupt();
  }
  if (!put() || std::fflush(file.get()) != 0) return std::strerror(errno);
  return "";
}
