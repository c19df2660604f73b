// CSV files as R vectors, and back.

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <future>
#include <memory>
#include <vector>

#include "bind.h"
#include "csv_read.h"
#include "csv_splice.h"
#include "csv_write.h"
#include "late_texts.h"
#include "names.h"

namespace {

using namespace rowanroot;

using CsvFiles = std::vector<std::shared_ptr<CsvFile>>;
using CsvPointer = Rcpp::XPtr<CsvFiles>;

// The error as data: R words it. `file` counts from 1.
Rcpp::List problem(const CsvError& error, std::size_t file) {
  return Rcpp::List::create(Rcpp::Named("kind") = error.kind, Rcpp::Named("file") = static_cast<double>(file),
                            Rcpp::Named("line") = static_cast<double>(error.line + 1), Rcpp::Named("found") = static_cast<double>(error.found),
                            Rcpp::Named("expected") = static_cast<double>(error.expected), Rcpp::Named("value") = error.value);
}

Rcpp::List with_problem(const CsvError& error, std::size_t file) { return Rcpp::List::create(Rcpp::Named("problem") = problem(error, file)); }

Rcpp::List with_problem(const InputError& error, std::size_t file) {
  return with_problem(CsvError(input_problem(error), 0, 0, 0, error.what()), file);
}

Rcpp::CharacterVector utf8(const std::vector<std::string>& texts) {
  Rcpp::CharacterVector result(texts.size());
  for (std::size_t i = 0; i < texts.size(); ++i)
    result[i] = Rf_mkCharLenCE(texts[i].data(), static_cast<int>(texts[i].size()), CE_UTF8);
  return result;
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
  static const char* const names[] = {"logical", "integer", "number", "integer64", "date", "time", "coded_text", "text"};
  return kind_of_name<CsvType>(names, name);
}

std::vector<CsvColumn> columns_of(const Rcpp::List& wanted) {
  std::vector<CsvColumn> columns(static_cast<std::size_t>(wanted.size()));
  for (std::size_t k = 0; k < columns.size(); ++k) {
    const Rcpp::List one = wanted[static_cast<R_xlen_t>(k)];
    columns[k].type = csv_type_of_name(Rcpp::as<std::string>(one["type"]));
    for (int place : Rcpp::as<std::vector<int>>(one["in_file"])) columns[k].in_file.push_back(static_cast<std::size_t>(place) - 1);
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

SEXP texts_on_pages(const std::vector<CsvPage>& pages, SEXP starts, SEXP sizes) {
  const R_xlen_t count = static_cast<R_xlen_t>(pages.size());
  Rcpp::Shield<SEXP> bytes(Rf_allocVector(VECSXP, count)), first_rows(Rf_allocVector(REALSXP, count));
  double row = 0;
  for (R_xlen_t k = 0; k < count; ++k) {
    const CsvPage& page = pages[static_cast<std::size_t>(k)];
    SEXP copy = new_vector(RAWSXP, static_cast<R_xlen_t>(page.bytes.size()));
    SET_VECTOR_ELT(bytes, k, copy);
    std::copy(page.bytes.begin(), page.bytes.end(), RAW(copy));
    REAL(first_rows)[k] = row;
    row += static_cast<double>(page.rows);
  }
  return new_written_texts(bytes, starts, sizes, first_rows);
}

// Rows of a table that are written together: they are copied together too.
constexpr R_xlen_t written_together = 1 << 13;

// A file that has some of the columns already, as text.
struct Copied {
  std::shared_ptr<const Input> input;
  std::vector<double> places;  // where each lot of rows begins, and where the last ends
  std::size_t fields = 0;
};

std::unique_ptr<Copied> copied_from(const Rcpp::List& given) {
  if (given.size() == 0) return nullptr;
  auto copied = std::make_unique<Copied>();
  copied->input = open_file(Rcpp::as<std::string>(given["path"]));
  copied->places = Rcpp::as<std::vector<double>>(given["places"]);
  copied->fields = static_cast<std::size_t>(Rcpp::as<int>(given["fields"]));
  return copied;
}

// Writes rows of a table. One for each thread. A column is a vector, or the number of a field, from 1, to copy.
class CsvWriter {
 public:
  CsvWriter(const Rcpp::List& table, const Copied* copied, const Rcpp::IntegerVector& fields, char separator) : separator_(separator), copied_(copied) {
    for (R_xlen_t k = 0; k < table.size(); ++k) {
      SEXP values = table[k];
      Column column;
      column.type = TYPEOF(values);
      if (fields[k] > 0) column.field = static_cast<std::size_t>(fields[k]);
      else if (column.type != STRSXP) column.values = address_of(values);
      else column.reader = new_text_reader(values), column.texts.resize(text_batch);
      columns_.push_back(std::move(column));
    }
    // Fields that stand side by side in both files are copied together.
    for (std::size_t k = 0; k < columns_.size(); ++k) {
      std::size_t last = k;
      while (columns_[k].field && last + 1 < columns_.size() && columns_[last + 1].field == columns_[last].field + 1) ++last;
      columns_[k].last = last;
    }
    for (std::size_t k = 0; k < columns_.size(); k = columns_[k].last + 1) {
      const std::size_t behind = columns_[columns_[k].last].field + 1;
      if (columns_[k].field) cut_ = std::max({cut_, columns_[k].field, copied && behind <= copied->fields ? behind : 0});
    }
  }

  bool is_for_threads() const {
    return std::all_of(columns_.begin(), columns_.end(), [](const Column& column) { return !column.reader || column.reader->is_for_threads(); });
  }

  // A lot of rows.
  void write(R_xlen_t first, R_xlen_t last, std::string* to) {
    std::unique_ptr<WrittenRecords> records;
    if (copied_ && first < last) {
      const std::size_t lot = static_cast<std::size_t>(first / written_together);
      const double from = copied_->places.at(lot), end = copied_->places.at(lot + 1);
      const std::size_t size = static_cast<std::size_t>(end - from);
      if (bytes_.size() < size) bytes_.resize(size);
      copied_->input->read(static_cast<std::uint64_t>(from), size, &bytes_[0]);
      records = std::make_unique<WrittenRecords>(bytes_.data(), bytes_.data() + size, separator_, copied_->fields, cut_);
      to->reserve(size + size / 4);
    }
    for (; first < last; first += text_batch) write_batch(first, std::min(text_batch, last - first), records.get(), to);
    if (records && !records->at_end()) throw OtherFile();
  }

 private:
  struct Column {
    int type;
    const void* values = nullptr;
    std::unique_ptr<TextReader> reader;
    std::vector<TextBytes> texts;
    std::size_t field = 0, last = 0;
  };

  void write_batch(R_xlen_t first, R_xlen_t count, WrittenRecords* records, std::string* to) {
    for (Column& column : columns_)
      if (column.reader) column.reader->read(first, count, column.texts.data());
    for (R_xlen_t row = 0; row < count; ++row) {
      if (records) records->next();
      for (std::size_t k = 0; k < columns_.size(); ++k) {
        if (k) to->push_back(separator_);
        const Column& column = columns_[k];
        if (column.field) records->copy(column.field - 1, columns_[column.last].field - 1, to);
        else write_value(column, first, row, to);
        k = column.last;
      }
      to->push_back('\n');
    }
  }

  void write_value(const Column& column, R_xlen_t first, R_xlen_t row, std::string* to) const {
    switch (column.type) {
      case STRSXP: {
        const TextBytes& text = column.texts[static_cast<std::size_t>(row)];
        if (text.bytes) write_field(std::string_view(text.bytes, static_cast<std::size_t>(text.size)), separator_, to);
        return;
      }
      case LGLSXP: return write_field(static_cast<const int*>(column.values)[first + row], true, to);
      case INTSXP: return write_field(static_cast<const int*>(column.values)[first + row], false, to);
      default: return write_field(static_cast<const double*>(column.values)[first + row], to);
    }
  }

  const char separator_;
  const Copied* const copied_;
  std::string bytes_;
  std::size_t cut_ = 0;
  std::vector<Column> columns_;
};

// Makes the system write to the disk what it has of the file already: what is left to flush at the end is little.
void begin_to_flush(std::FILE* file) {
#ifdef __linux__
  ::sync_file_range(::fileno(file), 0, 0, SYNC_FILE_RANGE_WRITE);
#else
  static_cast<void>(file);
#endif
}

// Where the next lot begins in the file.
class LotPlaces {
 public:
  void add(std::size_t bytes) { places_.push_back(places_.empty() ? static_cast<double>(bytes) : places_.back() + static_cast<double>(bytes)); }
  Rcpp::NumericVector places() const { return Rcpp::wrap(places_); }

 private:
  std::vector<double> places_;
};

}  // namespace

// The names in the header.
// [[Rcpp::export]]
Rcpp::List csv_header_cpp(std::string path, Rcpp::List format) {
  try {
    return Rcpp::List::create(Rcpp::Named("names") = utf8(csv_names(*open_file(path), format_of(format))));
  } catch (const CsvError& error) {
    return with_problem(error, 1);
  } catch (const InputError& error) {
    return with_problem(error, 1);
  }
}

// The files with their names of columns and how many rows they have.
// [[Rcpp::export]]
Rcpp::List csv_open_cpp(std::vector<std::string> paths, Rcpp::List format, double piece_bytes, int threads) {
  CsvPointer files(new CsvFiles, true);
  Rcpp::List names(paths.size());
  Rcpp::NumericVector rows(paths.size());
  for (std::size_t f = 0; f < paths.size(); ++f) {
    try {
      const auto input = open_file(paths[f]);
      const R_xlen_t likely_rows = static_cast<R_xlen_t>(input->size() / 16);
      files->push_back(std::make_shared<CsvFile>(input, format_of(format), thread_count(likely_rows, threads), static_cast<std::size_t>(piece_bytes)));
    } catch (const CsvError& error) {
      return with_problem(error, f + 1);
    } catch (const InputError& error) {
      return with_problem(error, f + 1);
    }
    names[static_cast<R_xlen_t>(f)] = utf8(files->back()->names());
    rows[static_cast<R_xlen_t>(f)] = static_cast<double>(files->back()->rows());
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

// Lots to read one after the other, of about so many bytes each: the numbers of the first and the last piece, the file, from 1, and the rows.
// [[Rcpp::export]]
Rcpp::DataFrame csv_lots_cpp(SEXP opened, double bytes) {
  const auto lots = csv_lots(*CsvPointer(opened), static_cast<std::uint64_t>(bytes));
  const auto number = [&](auto of_lot) {
    Rcpp::NumericVector numbers(lots.size());
    for (std::size_t k = 0; k < lots.size(); ++k) numbers[static_cast<R_xlen_t>(k)] = static_cast<double>(of_lot(lots[k]));
    return numbers;
  };
  return Rcpp::DataFrame::create(Rcpp::Named("first") = number([](const CsvLotOfFile& one) { return one.lot.first; }),
                                 Rcpp::Named("last") = number([](const CsvLotOfFile& one) { return one.lot.last; }),
                                 Rcpp::Named("file") = number([](const CsvLotOfFile& one) { return one.file + 1; }),
                                 Rcpp::Named("rows") = number([](const CsvLotOfFile& one) { return one.rows; }));
}

// The columns, each with what became of it: of all rows, or of a lot, which is a row of csv_lots_cpp().
// [[Rcpp::export]]
Rcpp::List csv_read_cpp(SEXP opened, Rcpp::List wanted, Rcpp::List lot, int threads) {
  const CsvFiles& files = *CsvPointer(opened);
  std::vector<CsvColumn> columns = columns_of(wanted);
  CsvLot pieces;
  if (lot.size()) pieces = {static_cast<std::size_t>(Rcpp::as<double>(lot["first"])), static_cast<std::size_t>(Rcpp::as<double>(lot["last"]))};
  const R_xlen_t rows = lot.size() ? static_cast<R_xlen_t>(Rcpp::as<double>(lot["rows"])) : rows_of(files), count = wanted.size();
  Rcpp::List values(count), sizes(count), misfits(count), file_kinds(count);
  Rcpp::IntegerVector kinds(count);
  for (R_xlen_t k = 0; k < count; ++k) {
    CsvColumn& column = columns[static_cast<std::size_t>(k)];
    values[k] = new_vector(vector_type(column.type), rows);
    column.values = writable_address(values[k]);
    if (column.type != CsvType::text) continue;
    sizes[k] = new_vector(INTSXP, rows);
    column.sizes = INTEGER(sizes[k]);
  }
  CsvContent content;
  try {
    content = read_csv(files, columns, thread_count(rows * std::max<R_xlen_t>(count, 1), threads), pieces);
  } catch (const CsvError& error) {
    const std::size_t space = error.kind.find(' ');
    return with_problem(CsvError(error.kind.substr(space + 1), error.line, error.found, error.expected, error.value), std::stoul(error.kind));
  }
  for (R_xlen_t k = 0; k < count; ++k) {
    const std::size_t at = static_cast<std::size_t>(k);
    CsvFound& found = content.columns[at];
    if (found.has_too_many) values[k] = R_NilValue;
    else if (columns[at].type == CsvType::coded_text) values[k] = new_coded_texts(values[k], utf8(found.texts));
    else if (columns[at].type == CsvType::text) values[k] = texts_on_pages(content.pages[at], values[k], sizes[k]);
    std::vector<CsvPage>().swap(content.pages[at]);
    kinds[k] = static_cast<int>(found.kinds);
    file_kinds[k] = Rcpp::IntegerVector(found.file_kinds.begin(), found.file_kinds.end());
    if (found.misfits) {
      misfits[k] = Rcpp::List::create(Rcpp::Named("count") = static_cast<double>(found.misfits), Rcpp::Named("file") = static_cast<double>(found.file + 1),
                                      Rcpp::Named("line") = static_cast<double>(found.line + 1),
                                      Rcpp::Named("value") = utf8({found.misfit}));
    }
  }
  return Rcpp::List::create(Rcpp::Named("values") = values, Rcpp::Named("kinds") = kinds, Rcpp::Named("file_kinds") = file_kinds,
                            Rcpp::Named("misfits") = misfits);
}

// The number of the file and the line, both from 1, on which a row, from 1, begins.
// [[Rcpp::export]]
Rcpp::NumericVector csv_line_cpp(SEXP opened, double row) {
  const CsvLine found = line_of_row(*CsvPointer(opened), static_cast<std::size_t>(row) - 1);
  return Rcpp::NumericVector::create(Rcpp::Named("file") = static_cast<double>(found.file + 1), Rcpp::Named("line") = static_cast<double>(found.line + 1));
}

// Texts must be UTF-8. A column is a vector, or with a number in `fields`, from 1, that field of the file that `copied` tells of, which
// has the same rows: its path, the places of its lots, and how many fields a record has. Gives what the system said as `problem`, an
// empty text if nothing, and where the lots of rows begin as `places`. What is appended has no header.
// [[Rcpp::export]]
Rcpp::List csv_write_cpp(Rcpp::List columns, Rcpp::CharacterVector names, double rows, std::string path, std::string separator, Rcpp::IntegerVector fields,
                         Rcpp::List copied, bool append, int threads) {
  LotPlaces places;
  const auto finished = [&](const std::string& problem) {
    return Rcpp::List::create(Rcpp::Named("problem") = problem, Rcpp::Named("places") = places.places());
  };
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), append ? "ab" : "wb"), std::fclose);
  if (!file) return finished(std::strerror(errno));
  const auto put = [&](std::string& text) {
    const bool written = std::fwrite(text.data(), 1, text.size(), file.get()) == text.size();
    if (!text.empty()) places.add(text.size());
    text.clear();
    return written;
  };
  std::string header;
  for (R_xlen_t k = 0; k < names.size(); ++k) {
    if (k) header.push_back(separator[0]);
    write_field(std::string_view(names[k]), separator[0], &header);
  }
  header.push_back('\n');
  if (!append && !put(header)) return finished(std::strerror(errno));
  try {
    const std::unique_ptr<Copied> from = copied_from(copied);
    const R_xlen_t all = static_cast<R_xlen_t>(rows);
    Workers workers = thread_count(all * std::max<R_xlen_t>(columns.size(), 1), threads);
    std::vector<CsvWriter> writers;
    for (int k = 0; k < std::max<int>(workers, 1); ++k) writers.emplace_back(columns, from.get(), fields, separator[0]);
    if (!writers[0].is_for_threads()) workers.threads = 1;
    // Lots are written by the threads to memory, and one after the other to the file, while the next ones are written to memory.
    std::vector<std::string> texts(static_cast<std::size_t>(4 * std::max<int>(workers, 1))), before(texts.size());
    std::future<std::string> writing;
    const auto put_all = [&] {
      for (std::string& text : before)
        if (!put(text)) return std::string(std::strerror(errno));
      begin_to_flush(file.get());
      return std::string();
    };
    for (R_xlen_t first = 0; first < all; first += written_together * static_cast<R_xlen_t>(texts.size())) {
      run_pieces(texts.size(), workers, [&](int worker, std::size_t k) {
        const R_xlen_t begin = first + written_together * static_cast<R_xlen_t>(k);
        writers[static_cast<std::size_t>(worker)].write(begin, std::max(begin, std::min(begin + written_together, all)), &texts[k]);
      });
      const std::string problem = writing.valid() ? writing.get() : "";
      if (!problem.empty()) return finished(problem);
      texts.swap(before);
      writing = std::async(std::launch::async, put_all);
      Rcpp::checkUserInterrupt();
    }
    const std::string problem = writing.valid() ? writing.get() : "";
    if (!problem.empty()) return finished(problem);
  } catch (const OtherFile& error) {
    return finished(error.what());
  } catch (const InputError& error) {
    return finished(error.what());
  } catch (const std::out_of_range&) {
    return finished(OtherFile().what());
  }
  return finished(std::fflush(file.get()) != 0 ? std::strerror(errno) : "");
}
