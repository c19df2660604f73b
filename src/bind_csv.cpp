// CSV files as R vectors.

#include <algorithm>
#include <memory>
#include <vector>

#include "bind.h"
#include "csv_read.h"
#include "deferred_strings.h"
#include "mapped_vectors.h"
#include "names.h"
#include "rounds.h"

namespace {

using namespace rowanroot;

using CsvFiles = std::vector<std::shared_ptr<CsvFile>>;
using CsvPointer = Rcpp::XPtr<CsvFiles>;

// The error as data: R words it. `file` counts from 1.
Rcpp::List problem(const CsvError& error, std::size_t file) {
  return Rcpp::List::create(Rcpp::Named("kind") = error.kind, Rcpp::Named("file") = static_cast<double>(file),
                            Rcpp::Named("line") = static_cast<double>(error.line + 1),
                            Rcpp::Named("found") = static_cast<double>(error.found),
                            Rcpp::Named("expected") = static_cast<double>(error.expected),
                            Rcpp::Named("value") = error.value);
}

Rcpp::List with_problem(const CsvError& error, std::size_t file) {
  return Rcpp::List::create(Rcpp::Named("problem") = problem(error, file));
}

Rcpp::List with_problem(const InputError& error, std::size_t file) {
  return with_problem(CsvError(input_problem(error), 0, 0, 0, error.what()), file);
}

char sign(const Rcpp::List& format, const char* name) {
  const std::string text = Rcpp::as<std::string>(format[name]);
  return text.empty() ? '\0' : text[0];
}

CsvFormat format_of(const Rcpp::List& given) {
  CsvFormat format;
  format.separator = sign(given, "separator");
  format.decimal = sign(given, "decimal");
  format.comment = sign(given, "comment");
  format.missing = Rcpp::as<std::vector<std::string>>(given["missing"]);
  format.has_header = given["header"];
  format.names = Rcpp::as<std::vector<std::string>>(given["names"]);
  format.allows_short = given["allows_short"];
  format.allows_long = given["allows_long"];
  return format;
}

CsvType csv_type_of_name(const std::string& name) {
  static const char* const names[] = {"logical", "integer", "number",     "integer64",
                                      "date",    "time",    "coded_text", "text"};
  return kind_of_name<CsvType>(names, name);
}

std::vector<CsvColumn> columns_of(const Rcpp::List& wanted) {
  std::vector<CsvColumn> columns(static_cast<std::size_t>(wanted.size()));
  for (std::size_t k = 0; k < columns.size(); ++k) {
    const Rcpp::List one = wanted[static_cast<R_xlen_t>(k)];
    columns[k].type = csv_type_of_name(Rcpp::as<std::string>(one["type"]));
    for (int place : Rcpp::as<std::vector<int>>(one["in_file"]))
      columns[k].in_file.push_back(static_cast<std::size_t>(place) - 1);
  }
  return columns;
}

SEXPTYPE vector_type(CsvType type) {
  switch (type) {
    case CsvType::logical: return LGLSXP;
    case CsvType::integer: case CsvType::coded_text: case CsvType::text: return INTSXP;
    default: return REALSXP;
  }
}

R_xlen_t rows_of(const CsvFiles& files) {
  std::size_t rows = 0;
  for (const auto& file : files) rows += file->rows();
  return static_cast<R_xlen_t>(rows);
}

SEXP texts_on_pages(std::vector<CsvPage>& pages, SEXP starts, SEXP sizes) {
  const R_xlen_t count = static_cast<R_xlen_t>(pages.size());
  Rcpp::Shield<SEXP> bytes(Rf_allocVector(VECSXP, count)), first_rows(Rf_allocVector(REALSXP, count));
  double row = 0;
  for (R_xlen_t k = 0; k < count; ++k) {
    CsvPage& page = pages[static_cast<std::size_t>(k)];
    SET_VECTOR_ELT(bytes, k, page.piece ? raw_of(std::move(page.piece)) : raw_of(std::move(page.bytes)));
    REAL(first_rows)[k] = row;
    row += static_cast<double>(page.rows);
  }
  return new_written_texts(bytes, starts, sizes, first_rows);
}

}  // namespace

// The names in the header.
// [[Rcpp::export]]
Rcpp::List csv_header_cpp(std::string path, Rcpp::List format) {
  try {
    return Rcpp::List::create(Rcpp::Named("names") = strings_of(csv_names(*open_file(path), format_of(format))));
  } catch (const CsvError& error) {
    return with_problem(error, 1);
  } catch (const InputError& error) {
    return with_problem(error, 1);
  }
}

// The files with their names of columns and how many rows they have.
// [[Rcpp::export]]
Rcpp::List csv_open_cpp(std::vector<std::string> paths, Rcpp::List format, double piece_bytes, int threads) {
  CsvPointer files(new CsvFiles(paths.size()), true);
  const CsvFormat of_all = format_of(format);
  // Many files are shared out to the threads, or else the pieces of each.
  const bool are_many = paths.size() >= 8;
  const auto open_one = [&](std::size_t f, bool is_shared) {
    const auto input = open_file(paths[f]);
    const R_xlen_t likely_rows = static_cast<R_xlen_t>(input->size() / 16);
    const Workers workers = is_shared ? Workers(1) : Workers(thread_count(likely_rows, threads));
    (*files)[f] = std::make_shared<CsvFile>(input, of_all, workers, static_cast<std::size_t>(piece_bytes));
  };
  // Where one can't be read, they are opened again in turn: the first that can't be is told.
  bool are_open = are_many;
  try {
    if (are_many)
      run_pieces(paths.size(), thread_count(R_xlen_t(1) << 40, threads),
                 [&](int, std::size_t f) { open_one(f, true); });
  } catch (const CsvError&) {
    are_open = false;
  } catch (const InputError&) {
    are_open = false;
  }
  Rcpp::List names(paths.size());
  Rcpp::NumericVector rows(paths.size());
  for (std::size_t f = 0; f < paths.size(); ++f) {
    try {
      if (!are_open) open_one(f, false);
    } catch (const CsvError& error) {
      return with_problem(error, f + 1);
    } catch (const InputError& error) {
      return with_problem(error, f + 1);
    }
    names[static_cast<R_xlen_t>(f)] = strings_of((*files)[f]->names());
    rows[static_cast<R_xlen_t>(f)] = static_cast<double>((*files)[f]->rows());
  }
  return Rcpp::List::create(Rcpp::Named("files") = files, Rcpp::Named("names") = names, Rcpp::Named("rows") = rows);
}

// What the values of each column could be, by some of them, and whether few are different.
// [[Rcpp::export]]
Rcpp::List csv_guess_cpp(SEXP files, Rcpp::List columns) {
  const auto guesses = guess_csv(*CsvPointer(files), columns_of(columns));
  Rcpp::IntegerVector kinds(guesses.size());
  Rcpp::LogicalVector few(guesses.size());
  for (std::size_t k = 0; k < guesses.size(); ++k) {
    kinds[static_cast<R_xlen_t>(k)] = static_cast<int>(guesses[k].kinds);
    few[static_cast<R_xlen_t>(k)] = guesses[k].is_few;
  }
  return Rcpp::List::create(Rcpp::Named("kinds") = kinds, Rcpp::Named("few") = few);
}

// Chunks to read one after the other, of about so many bytes each: the numbers of the first and the last piece, the
// file, from 1, and the rows.
// [[Rcpp::export]]
Rcpp::DataFrame csv_chunks_cpp(SEXP opened, double bytes) {
  const auto chunks = csv_chunks(*CsvPointer(opened), static_cast<std::uint64_t>(bytes));
  const auto number = [&](auto of_chunk) {
    Rcpp::NumericVector numbers(chunks.size());
    for (std::size_t k = 0; k < chunks.size(); ++k)
      numbers[static_cast<R_xlen_t>(k)] = static_cast<double>(of_chunk(chunks[k]));
    return numbers;
  };
  return Rcpp::DataFrame::create(
      Rcpp::Named("first") = number([](const CsvChunkOfFile& one) { return one.chunk.first; }),
      Rcpp::Named("last") = number([](const CsvChunkOfFile& one) { return one.chunk.last; }),
      Rcpp::Named("file") = number([](const CsvChunkOfFile& one) { return one.file + 1; }),
      Rcpp::Named("rows") = number([](const CsvChunkOfFile& one) { return one.rows; }));
}

namespace {

// R's vectors of the columns, which their values go into.
struct Targets {
  Rcpp::List values, sizes;

  Targets(std::vector<CsvColumn>& columns, R_xlen_t rows)
      : values(static_cast<R_xlen_t>(columns.size())), sizes(static_cast<R_xlen_t>(columns.size())) {
    for (std::size_t k = 0; k < columns.size(); ++k) {
      CsvColumn& column = columns[k];
      const R_xlen_t at = static_cast<R_xlen_t>(k);
      values[at] = new_vector(vector_type(column.type), rows);
      column.values = writable_address(values[at]);
      if (column.type != CsvType::text) continue;
      sizes[at] = new_vector(INTSXP, rows);
      column.sizes = INTEGER(sizes[at]);
    }
  }

  // Of texts, the vector is made of what was read. NULL with too many different ones for codes.
  SEXP finished(std::size_t k, CsvType type, CsvFound& found, std::vector<CsvPage>& pages) {
    const R_xlen_t at = static_cast<R_xlen_t>(k);
    if (found.has_too_many) return R_NilValue;
    if (type == CsvType::coded_text) return new_coded_texts(values[at], strings_of(found.texts));
    return type == CsvType::text ? texts_on_pages(pages, values[at], sizes[at]) : SEXP(values[at]);
  }
};

SEXP misfits_in_r(const CsvFound& found) {
  if (!found.misfits) return R_NilValue;
  return Rcpp::List::create(Rcpp::Named("count") = static_cast<double>(found.misfits),
                            Rcpp::Named("file") = static_cast<double>(found.file + 1),
                            Rcpp::Named("line") = static_cast<double>(found.line + 1),
                            Rcpp::Named("value") = strings_of({found.misfit}));
}

// Integers among which there are other numbers, as real numbers; NULL if there are none, or too many.
SEXP with_reals(SEXP integers, const CsvFound& found, const Workers& threads) {
  if (found.reals.empty()) return R_NilValue;
  Rcpp::Shield<SEXP> numbers(new_vector(REALSXP, XLENGTH(integers)));
  put_as_reals(INTEGER_RO(integers), static_cast<std::size_t>(XLENGTH(integers)), found.reals, threads, REAL(numbers));
  return numbers;
}

}  // namespace

// The columns, each with what became of it: of all rows, or of a chunk, which is a row of csv_chunks_cpp().
// [[Rcpp::export]]
Rcpp::List csv_read_cpp(SEXP opened, Rcpp::List wanted, Rcpp::List chunk, int threads) {
  const CsvFiles& files = *CsvPointer(opened);
  std::vector<CsvColumn> columns = columns_of(wanted);
  CsvChunk pieces;
  if (chunk.size())
    pieces = {static_cast<std::size_t>(Rcpp::as<double>(chunk["first"])),
              static_cast<std::size_t>(Rcpp::as<double>(chunk["last"]))};
  const R_xlen_t rows = chunk.size() ? static_cast<R_xlen_t>(Rcpp::as<double>(chunk["rows"])) : rows_of(files),
                 count = wanted.size();
  Targets targets(columns, rows);
  const Workers workers = threads_for_texts(rows, count, threads);
  CsvContent content;
  try {
    content = read_csv(files, columns, workers, pieces);
  } catch (const CsvError& error) {
    return with_problem(error, error.file + 1);
  }
  Rcpp::List misfits(count), file_kinds(count), numbers(count);
  Rcpp::IntegerVector kinds(count);
  for (R_xlen_t k = 0; k < count; ++k) {
    const std::size_t at = static_cast<std::size_t>(k);
    CsvFound& found = content.columns[at];
    targets.values[k] = targets.finished(at, columns[at].type, found, content.pages[at]);
    std::vector<CsvPage>().swap(content.pages[at]);
    kinds[k] = static_cast<int>(found.kinds);
    file_kinds[k] = Rcpp::IntegerVector(found.file_kinds.begin(), found.file_kinds.end());
    misfits[k] = misfits_in_r(found);
    numbers[k] = with_reals(targets.values[k], found, workers);
  }
  return Rcpp::List::create(Rcpp::Named("values") = targets.values, Rcpp::Named("kinds") = kinds,
                            Rcpp::Named("file_kinds") = file_kinds, Rcpp::Named("misfits") = misfits,
                            Rcpp::Named("numbers") = numbers);
}

// The number of the file and the line, both from 1, on which a row, from 1, begins.
// [[Rcpp::export]]
Rcpp::NumericVector csv_line_cpp(SEXP opened, double row) {
  const CsvLine found = line_of_row(*CsvPointer(opened), static_cast<std::size_t>(row) - 1);
  return Rcpp::NumericVector::create(Rcpp::Named("file") = static_cast<double>(found.file + 1),
                                     Rcpp::Named("line") = static_cast<double>(found.line + 1));
}
