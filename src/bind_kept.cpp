// Columns of R in files of the store, and back.

#include <algorithm>
#include <cstring>
#include <memory>
#include <string>
#include <vector>

#include "bind.h"
#include "kept.h"
#include "kept_column.h"
#include "deferred_strings.h"
#include "mapped_vectors.h"
#include "memory.h"
#include "names.h"
#include "rounds.h"
#include "text_numbering.h"

namespace {

using namespace rowanroot;

const char* const type_names[] = {"logical", "integer", "number", "coded_text", "text"};

// A column of R, as far as threads may look at it.
struct Source {
  explicit Source(SEXP from) : column(from) {
    const CodedTexts coded = TYPEOF(from) == STRSXP ? coded_texts_of(from) : CodedTexts();
    if (TYPEOF(from) != STRSXP) values = address_of(from);
    if (!coded) return;
    values = INTEGER_RO(coded.codes);
    different.reserve(static_cast<std::size_t>(XLENGTH(coded.texts)));
    for (R_xlen_t k = 0; k < XLENGTH(coded.texts); ++k) {
      SEXP text = STRING_ELT(coded.texts, k);
      const char* const bytes = text == NA_STRING ? nullptr : Rf_translateCharUTF8(text);
      different.push_back({bytes, bytes ? static_cast<int>(std::strlen(bytes)) : 0});
    }
  }

  KeptType type() const {
    switch (TYPEOF(column)) {
      case LGLSXP: return KeptType::logical;
      case INTSXP: return KeptType::integer;
      case REALSXP: return KeptType::real;
      default: return values ? KeptType::coded_text : KeptType::text;
    }
  }

  const SEXP column;
  const void* values = nullptr;      // or the codes of texts, of which these are the different ones
  std::vector<TextBytes> different;  // in UTF-8
};

// What some rows of a column are in a file, held until it is written.
class Contents {
 public:
  Contents(const Source& source, R_xlen_t first, R_xlen_t rows)
      : source_(source), first_(static_cast<std::size_t>(first)), rows_(static_cast<std::size_t>(rows)) {
    if (source.type() == KeptType::text) reader_ = new_text_reader(source.column);
  }

  bool is_for_threads() const { return !reader_ || reader_->is_for_threads(); }

  const std::vector<KeptBuffer>& buffers() {
    if (!buffers_.empty()) return buffers_;
    switch (source_.type()) {
      case KeptType::real: plain(static_cast<const double*>(source_.values)); break;
      case KeptType::coded_text: codes(static_cast<const std::int32_t*>(source_.values) + first_); break;
      case KeptType::text: texts(); break;
      default: plain(static_cast<const std::int32_t*>(source_.values)); break;
    }
    return buffers_;
  }

 private:
  template <class T>
  void plain(const T* values) { buffers_.push_back({values + first_, rows_ * sizeof(T)}); }

  // Of the different texts only those that these rows have.
  void codes(const std::int32_t* from) {
    std::vector<std::int32_t> number(source_.different.size() + 1, 0);
    numbers_.resize(rows_);
    for (std::size_t i = 0; i < rows_; ++i) {
      std::int32_t& known = number[static_cast<std::size_t>(from[i] == missing_integer ? 0 : from[i])];
      if (!known && from[i] == missing_integer) known = missing_integer;
      if (!known) known = add(source_.different[static_cast<std::size_t>(from[i]) - 1]);
      numbers_[i] = known;
    }
    buffers_ = {{numbers_.data(), rows_ * sizeof(std::int32_t)},
                {sizes_.data(), sizes_.size() * sizeof(std::int32_t)},
                {bytes_.data(), bytes_.size()}};
  }

  std::int32_t add(const TextBytes& text) {
    if (!text.bytes) return missing_integer;
    bytes_.append(text.bytes, static_cast<std::size_t>(text.size));
    sizes_.push_back(text.size);
    return static_cast<std::int32_t>(sizes_.size());
  }

  void texts() {
    sizes_.resize(rows_);
    pages_.resize((rows_ + kept_page_rows - 1) / kept_page_rows);
    std::vector<TextBytes> found(static_cast<std::size_t>(text_batch));
    for (std::size_t row = 0; row < rows_; row += found.size()) {
      const std::size_t count = std::min(found.size(), rows_ - row);
      reader_->read(static_cast<R_xlen_t>(first_ + row), static_cast<R_xlen_t>(count), found.data());
      for (std::size_t k = 0; k < count; ++k) {
        sizes_[row + k] = found[k].bytes ? found[k].size : missing_integer;
        if (found[k].bytes)
          pages_[row / kept_page_rows].append(found[k].bytes, static_cast<std::size_t>(found[k].size));
      }
    }
    buffers_.push_back({sizes_.data(), rows_ * sizeof(std::int32_t)});
    for (const RowBytes& page : pages_) buffers_.push_back({page.data(), page.size()});
  }

  const Source& source_;
  const std::size_t first_, rows_;
  std::unique_ptr<TextReader> reader_;
  std::vector<KeptBuffer> buffers_;
  RowVector<std::int32_t> numbers_, sizes_;
  std::string bytes_;
  std::vector<RowBytes> pages_;
};

SEXP codes_of(const KeptColumn& column, const Workers& workers) {
  std::vector<std::string> different;
  Rcpp::Shield<SEXP> mapped(new_mapped_vector(INTSXP, column.map_codes(&different)));
  if (mapped != R_NilValue) return new_coded_texts(mapped, strings_of(different));
  Rcpp::Shield<SEXP> codes(new_vector(INTSXP, static_cast<R_xlen_t>(column.rows())));
  TextNumbering all;
  column.read_codes(INTEGER(codes), &all, workers);
  return new_coded_texts(codes, strings_of(all.texts()));
}

SEXP texts_of(const KeptColumn& column, const Workers& workers) {
  const R_xlen_t rows = static_cast<R_xlen_t>(column.rows());
  const std::vector<KeptPage> pages = column.pages();
  std::vector<MappedBytes> mapped = column.map_pages();
  const R_xlen_t count = static_cast<R_xlen_t>(pages.size());
  Rcpp::Shield<SEXP> starts(new_vector(INTSXP, rows)), sizes(new_vector(INTSXP, rows));
  Rcpp::Shield<SEXP> bytes(Rf_allocVector(VECSXP, count)), first_rows(Rf_allocVector(REALSXP, count));
  std::vector<std::uint8_t*> addresses;
  for (R_xlen_t n = 0; n < count; ++n) {
    const std::size_t page = static_cast<std::size_t>(n);
    SET_VECTOR_ELT(bytes, n, new_mapped_vector(RAWSXP, std::move(mapped[page])));
    const bool is_mapped = VECTOR_ELT(bytes, n) != R_NilValue;
    if (!is_mapped) SET_VECTOR_ELT(bytes, n, new_vector(RAWSXP, static_cast<R_xlen_t>(pages[page].size)));
    addresses.push_back(is_mapped ? nullptr : RAW(VECTOR_ELT(bytes, n)));
    REAL(first_rows)[n] = static_cast<double>(pages[page].first_row);
  }
  column.read_texts(INTEGER(starts), INTEGER(sizes), addresses, workers);
  return new_written_texts(bytes, starts, sizes, first_rows);
}

SEXPTYPE vector_of(const std::string& type) {
  return type == "logical" ? LGLSXP : type == "integer" ? INTSXP : REALSXP;
}

// As "logical", "integer", "number" or "text".
SEXP read_column(const KeptColumn& column, const std::string& type, int threads) {
  const R_xlen_t rows = static_cast<R_xlen_t>(column.rows());
  const Workers workers = thread_count(rows, threads);
  if (type == "text") return column.is_mostly_coded() ? codes_of(column, workers) : texts_of(column, workers);
  const SEXPTYPE vector = vector_of(type);
  const KeptType kept = vector == LGLSXP ? KeptType::logical : vector == INTSXP ? KeptType::integer : KeptType::real;
  Rcpp::Shield<SEXP> mapped(new_mapped_vector(vector, column.map_values(kept)));
  if (mapped != R_NilValue) return mapped;
  Rcpp::Shield<SEXP> result(new_vector(vector, rows));
  if (vector == REALSXP) column.read(static_cast<double*>(writable_address(result)), workers);
  else column.read(static_cast<std::int32_t*>(writable_address(result)), workers);
  return result;
}

// The same of some rows.
SEXP pick_rows(const KeptColumn& column, const std::string& type, const Rcpp::IntegerVector& rows, int threads) {
  const std::size_t count = static_cast<std::size_t>(rows.size());
  const Workers workers = thread_count(static_cast<R_xlen_t>(column.rows()), threads);
  if (type != "text") {
    Rcpp::Shield<SEXP> result(Rf_allocVector(vector_of(type), rows.size()));
    if (TYPEOF(result) == REALSXP) column.pick(rows.begin(), count, REAL(result), workers);
    else column.pick(rows.begin(), count, static_cast<std::int32_t*>(writable_address(result)), workers);
    return result;
  }
  std::vector<std::int32_t> sizes(count);
  std::string bytes;
  for (const std::string& of_file : column.pick_texts(rows.begin(), count, sizes.data(), workers)) bytes += of_file;
  Rcpp::Shield<SEXP> result(Rf_allocVector(STRSXP, rows.size()));
  const char* at = bytes.data();
  for (R_xlen_t k = 0; k < rows.size(); ++k) {
    const std::int32_t size = sizes[static_cast<std::size_t>(k)];
    SET_STRING_ELT(result, k, size == missing_integer ? NA_STRING : Rf_mkCharLenCE(at, size, CE_UTF8));
    if (size != missing_integer) at += size;
  }
  return result;
}

// NULL if a file is damaged or gone.
template <class Read>
SEXP or_null(Read read) {
  try {
    return read();
  } catch (const InputError&) {
    return R_NilValue;
  } catch (const DamagedFile&) {
    return R_NilValue;
  } catch (const std::out_of_range&) {
    return R_NilValue;
  }
}

}  // namespace

// Keeps some rows of a column in each file: so many `rows` from the `first` on, which is 0. Texts that are no deferred
// ones must be in UTF-8. Gives an empty text, or what the system said.
// [[Rcpp::export]]
std::string kept_write_cpp(std::vector<std::string> paths, SEXP column, Rcpp::NumericVector first,
                           Rcpp::NumericVector rows, Rcpp::IntegerVector kinds, Rcpp::List notes, int threads) {
  const R_xlen_t count = static_cast<R_xlen_t>(paths.size());
  const Workers workers = thread_count(Rf_xlength(column), threads);
  const Source source(column);
  // A few files at a time, as texts are copied.
  const R_xlen_t at_once = 2 * std::max(1, static_cast<int>(workers));
  for (R_xlen_t from = 0; from < count; from += at_once) {
    std::vector<std::unique_ptr<Contents>> contents;
    std::vector<KeptHead> heads;
    for (R_xlen_t k = from; k < std::min(count, from + at_once); ++k) {
      contents.push_back(
          std::make_unique<Contents>(source, static_cast<R_xlen_t>(first[k]), static_cast<R_xlen_t>(rows[k])));
      if (!contents.back()->is_for_threads()) contents.back()->buffers();
      const Rcpp::RawVector note = notes[k];
      KeptHead head;
      head.type = source.type();
      head.kinds = static_cast<std::uint32_t>(kinds[k]);
      head.rows = static_cast<std::uint64_t>(rows[k]);
      head.note.assign(note.begin(), note.end());
      heads.push_back(head);
    }
    try {
      run_pieces(contents.size(), workers, [&](int, std::size_t k) {
        write_kept(paths[static_cast<std::size_t>(from) + k], heads[k], contents[k]->buffers());
      });
    } catch (const InputError& error) {
      return error.what();
    }
  }
  return "";
}

// What each file has on its column; a missing type where there is no complete file.
// [[Rcpp::export]]
Rcpp::List kept_heads_cpp(std::vector<std::string> paths) {
  const R_xlen_t count = static_cast<R_xlen_t>(paths.size());
  Rcpp::CharacterVector types(count, NA_STRING);
  Rcpp::IntegerVector kinds(count, NA_INTEGER);
  Rcpp::NumericVector rows(count, NA_REAL);
  Rcpp::List notes(count);
  for (R_xlen_t k = 0; k < count; ++k) {
    try {
      const KeptFile file(paths[static_cast<std::size_t>(k)]);
      types[k] = type_names[static_cast<std::size_t>(file.head().type)];
      kinds[k] = static_cast<int>(file.head().kinds);
      rows[k] = static_cast<double>(file.head().rows);
      notes[k] = Rcpp::RawVector(file.head().note.begin(), file.head().note.end());
    } catch (const InputError&) {
    } catch (const DamagedFile&) {
    }
  }
  return Rcpp::List::create(Rcpp::Named("type") = types, Rcpp::Named("kinds") = kinds, Rcpp::Named("rows") = rows,
                            Rcpp::Named("note") = notes);
}

// One column of the rows of all files, as "logical", "integer", "number" or "text"; NULL if a file is damaged or gone.
// [[Rcpp::export]]
SEXP kept_read_cpp(std::vector<std::string> paths, std::string type, int threads) {
  return or_null([&] { return read_column(KeptColumn(paths), type, threads); });
}

// The same of some of these rows, from 0, which rise.
// [[Rcpp::export]]
SEXP kept_rows_cpp(std::vector<std::string> paths, std::string type, Rcpp::IntegerVector rows, int threads) {
  return or_null([&] { return pick_rows(KeptColumn(paths), type, rows, threads); });
}
