// Columns of R in files of the store, and back.

#include <algorithm>
#include <cstring>
#include <string>
#include <vector>

#include "bind.h"
#include "kept.h"
#include "late_texts.h"
#include "names.h"
#include "text_numbering.h"

namespace {

using namespace rowanroot;

const char* const type_names[] = {"logical", "integer", "number", "coded_text", "text"};

// What a column is in a file, held until it is written.
class Contents {
 public:
  Contents(SEXP column, R_xlen_t first, R_xlen_t rows) : rows_(static_cast<std::size_t>(rows)) {
    if (TYPEOF(column) == LGLSXP)
      plain(KeptType::logical, static_cast<const std::int32_t*>(address_of(column)) + first);
    else if (TYPEOF(column) == INTSXP)
      plain(KeptType::integer, static_cast<const std::int32_t*>(address_of(column)) + first);
    else if (TYPEOF(column) == REALSXP) plain(KeptType::real, static_cast<const double*>(address_of(column)) + first);
    else if (const CodedTexts coded = coded_texts_of(column)) codes(coded, first);
    else texts(column, first);
  }

  KeptType type() const { return type_; }
  std::vector<KeptBuffer> buffers() const { return buffers_; }

 private:
  template <class T>
  void plain(KeptType type, const T* values) {
    type_ = type;
    buffers_.push_back({values, rows_ * sizeof(T)});
  }

  // Of the different texts only those that these rows have.
  void codes(const CodedTexts& coded, R_xlen_t first) {
    type_ = KeptType::coded_text;
    const int* const from = INTEGER_RO(coded.codes) + first;
    std::vector<std::int32_t> number(static_cast<std::size_t>(XLENGTH(coded.texts)) + 1, 0);
    numbers_.resize(rows_);
    for (std::size_t i = 0; i < rows_; ++i) {
      std::int32_t& known = number[static_cast<std::size_t>(from[i] == NA_INTEGER ? 0 : from[i])];
      if (!known) known = from[i] == NA_INTEGER ? missing_integer : add(STRING_ELT(coded.texts, from[i] - 1));
      numbers_[i] = known;
    }
    buffers_ = {{numbers_.data(), rows_ * sizeof(std::int32_t)},
                {sizes_.data(), sizes_.size() * sizeof(std::int32_t)},
                {bytes_.data(), bytes_.size()}};
  }

  std::int32_t add(SEXP text) {
    if (text == NA_STRING) return missing_integer;
    const char* const bytes = Rf_translateCharUTF8(text);
    const std::size_t size = std::strlen(bytes);
    bytes_.append(bytes, size);
    sizes_.push_back(static_cast<std::int32_t>(size));
    return static_cast<std::int32_t>(sizes_.size());
  }

  void texts(SEXP column, R_xlen_t first) {
    type_ = KeptType::text;
    sizes_.resize(rows_);
    pages_.resize((rows_ + kept_page_rows - 1) / kept_page_rows);
    const auto reader = new_text_reader(column);
    std::vector<TextBytes> found(static_cast<std::size_t>(text_batch));
    for (std::size_t row = 0; row < rows_; row += found.size()) {
      const std::size_t count = std::min(found.size(), rows_ - row);
      reader->read(first + static_cast<R_xlen_t>(row), static_cast<R_xlen_t>(count), found.data());
      for (std::size_t k = 0; k < count; ++k) {
        sizes_[row + k] = found[k].bytes ? found[k].size : missing_integer;
        if (found[k].bytes)
          pages_[row / kept_page_rows].append(found[k].bytes, static_cast<std::size_t>(found[k].size));
      }
    }
    buffers_.push_back({sizes_.data(), rows_ * sizeof(std::int32_t)});
    for (const std::string& page : pages_) buffers_.push_back({page.data(), page.size()});
  }

  const std::size_t rows_;
  KeptType type_ = KeptType::real;
  std::vector<KeptBuffer> buffers_;
  std::vector<std::int32_t> numbers_, sizes_;
  std::string bytes_;
  std::vector<std::string> pages_;
};

// Columns of several files, one after the other.
class Parts {
 public:
  explicit Parts(const std::vector<std::string>& paths) {
    R_xlen_t rows = 0;
    for (const std::string& path : paths) {
      files_.emplace_back(path);
      first_rows_.push_back(rows);
      rows += static_cast<R_xlen_t>(files_.back().head().rows);
    }
    rows_ = rows;
  }

  SEXP read(const std::string& type, int threads) {
    workers_ = thread_count(rows_, threads);
    if (type == "text") return are_mostly_coded() ? codes() : texts();
    if (type == "logical") return values<std::int32_t>(LGLSXP);
    if (type == "integer") return values<std::int32_t>(INTSXP);
    return values<double>(REALSXP);
  }

 private:
  static std::size_t number(std::uint64_t size) { return static_cast<std::size_t>(size); }

  // What is few in all files may be many in one of them.
  bool are_mostly_coded() const {
    std::uint64_t coded = 0;
    for (const KeptFile& file : files_) coded += file.head().type == KeptType::coded_text ? file.head().rows : 0;
    return 2 * coded >= static_cast<std::uint64_t>(rows_);
  }

  // Where nothing is known, logicals stand for values of any type; integers may be wanted as numbers.
  template <class T>
  SEXP values(SEXPTYPE type) {
    Rcpp::Shield<SEXP> result(new_vector(type, rows_));
    T* const to = static_cast<T*>(writable_address(result));
    run_pieces(files_.size(), workers_, [&](int, std::size_t k) {
      const KeptHead& head = files_[k].head();
      T* const first = to + first_rows_[k];
      const bool is_wide = head.type == KeptType::real, wants_wide = std::is_same<T, double>::value;
      if (head.type >= KeptType::coded_text || (is_wide && !wants_wide)) throw DamagedFile("another type");
      if (is_wide == wants_wide) return read_into(files_[k], 0, first, number(head.rows));
      std::vector<std::int32_t> narrow(number(head.rows));
      read_into(files_[k], 0, narrow.data(), narrow.size());
      for (std::size_t i = 0; i < narrow.size(); ++i)
        first[i] = narrow[i] == missing_integer ? static_cast<T>(missing_real()) : static_cast<T>(narrow[i]);
    });
    return result;
  }

  template <class T>
  static void read_into(const KeptFile& file, std::size_t buffer, T* to, std::size_t count) {
    if (file.head().sizes.at(buffer) != count * sizeof(T)) throw DamagedFile("another size");
    file.read(buffer, to);
  }

  // Calls work(text) for each of the different texts, in the order of their numbers.
  template <class Work>
  static void each_different(const KeptFile& file, Work work) {
    std::vector<std::int32_t> sizes(number(file.head().sizes.at(1)) / sizeof(std::int32_t));
    file.read(1, sizes.data());
    std::string bytes(number(file.head().sizes.at(2)), '\0');
    file.read(2, &bytes[0]);
    std::size_t at = 0;
    for (std::int32_t size : sizes) {
      if (size < 0 || at + static_cast<std::size_t>(size) > bytes.size()) throw DamagedFile("another size");
      work(std::string_view(bytes).substr(at, static_cast<std::size_t>(size)));
      at += static_cast<std::size_t>(size);
    }
  }

  // Every file has numbered its texts by itself, or has a text for each row.
  SEXP codes() {
    Rcpp::Shield<SEXP> result(new_vector(INTSXP, rows_));
    int* const to = INTEGER(result);
    TextNumbering all;
    std::vector<std::vector<std::int32_t>> numbers(files_.size());
    for (std::size_t k = 0; k < files_.size(); ++k) {
      if (files_[k].head().type == KeptType::coded_text)
        each_different(files_[k], [&](std::string_view text) { numbers[k].push_back(all.number(text)); });
      else
        each_written(files_[k], [&](std::size_t row, const std::string_view* text) {
          to[first_rows_[k] + static_cast<R_xlen_t>(row)] = text ? all.number(*text) : missing_integer;
        });
    }
    run_pieces(files_.size(), workers_, [&](int, std::size_t k) {
      if (files_[k].head().type != KeptType::coded_text) return;
      int* const code = to + first_rows_[k];
      const std::size_t rows = number(files_[k].head().rows);
      read_into(files_[k], 0, code, rows);
      for (std::size_t i = 0; i < rows; ++i) {
        if (code[i] == missing_integer) continue;
        if (code[i] < 1 || static_cast<std::size_t>(code[i]) > numbers[k].size()) throw DamagedFile("another number");
        code[i] = numbers[k][static_cast<std::size_t>(code[i]) - 1];
      }
    });
    Rcpp::CharacterVector texts(static_cast<R_xlen_t>(all.texts().size()));
    for (std::size_t k = 0; k < all.texts().size(); ++k) {
      const std::string& text = all.texts()[k];
      texts[static_cast<R_xlen_t>(k)] = Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
    }
    return new_coded_texts(result, texts);
  }

  // Files with coded texts among them are written out.
  SEXP texts() {
    Rcpp::Shield<SEXP> starts(new_vector(INTSXP, rows_)), sizes(new_vector(INTSXP, rows_));
    const R_xlen_t pages = count_pages();
    Rcpp::Shield<SEXP> bytes(Rf_allocVector(VECSXP, pages)), first_rows(Rf_allocVector(REALSXP, pages));
    std::vector<R_xlen_t> first_page;
    std::vector<std::uint8_t*> addresses;
    for (std::size_t k = 0; k < files_.size(); ++k) {
      first_page.push_back(static_cast<R_xlen_t>(addresses.size()));
      const bool is_coded = files_[k].head().type == KeptType::coded_text;
      const std::vector<std::string> written_out = is_coded ? write_out(files_[k]) : std::vector<std::string>();
      for (std::size_t n = 0; n < pages_of(files_[k]); ++n) {
        const std::size_t size = is_coded ? written_out[n].size() : number(files_[k].head().sizes.at(n + 1));
        if (size > static_cast<std::size_t>(std::numeric_limits<std::int32_t>::max()))
          throw DamagedFile("another size");
        const R_xlen_t page = static_cast<R_xlen_t>(addresses.size());
        SEXP copy = new_vector(RAWSXP, static_cast<R_xlen_t>(size));
        SET_VECTOR_ELT(bytes, page, copy);
        REAL(first_rows)[page] = static_cast<double>(first_rows_[k]) + static_cast<double>(n * kept_page_rows);
        addresses.push_back(RAW(copy));
        if (is_coded) std::copy(written_out[n].begin(), written_out[n].end(), RAW(copy));
      }
    }
    int *const start = INTEGER(starts), *const size = INTEGER(sizes);
    run_pieces(files_.size(), workers_, [&](int, std::size_t k) {
      const std::size_t rows = number(files_[k].head().rows);
      const bool is_coded = files_[k].head().type == KeptType::coded_text;
      int *const own_size = size + first_rows_[k], *const own_start = start + first_rows_[k];
      if (is_coded) sizes_of_codes(files_[k], own_size);
      else read_into(files_[k], 0, own_size, rows);
      for (std::size_t n = 0; n < pages_of(files_[k]); ++n) {
        std::int64_t at = 0;
        for (std::size_t i = n * kept_page_rows; i < std::min(rows, (n + 1) * kept_page_rows); ++i) {
          own_start[i] = static_cast<int>(at);
          if (own_size[i] != missing_integer) at += own_size[i];
        }
        if (is_coded) continue;
        if (files_[k].head().sizes.at(n + 1) != static_cast<std::uint64_t>(at)) throw DamagedFile("another size");
        files_[k].read(n + 1, addresses[static_cast<std::size_t>(first_page[k]) + n]);
      }
    });
    return new_written_texts(bytes, starts, sizes, first_rows);
  }

  static std::size_t pages_of(const KeptFile& file) {
    return (number(file.head().rows) + kept_page_rows - 1) / kept_page_rows;
  }

  // Calls work(row, text), or work(row, null) where it is missing, for each row of coded texts.
  template <class Work>
  static void each_coded(const KeptFile& file, Work work) {
    std::vector<std::string> different;
    each_different(file, [&](std::string_view text) { different.emplace_back(text); });
    std::vector<std::int32_t> codes(number(file.head().rows));
    read_into(file, 0, codes.data(), codes.size());
    for (std::size_t i = 0; i < codes.size(); ++i)
      work(i, codes[i] == missing_integer ? nullptr : &different.at(static_cast<std::size_t>(codes[i]) - 1));
  }

  // Calls work(row, text), or work(row, null) where it is missing, for each row of texts that are written out.
  template <class Work>
  static void each_written(const KeptFile& file, Work work) {
    if (file.head().type != KeptType::text) throw DamagedFile("another type");
    std::vector<std::int32_t> sizes(number(file.head().rows));
    read_into(file, 0, sizes.data(), sizes.size());
    std::string page;
    std::size_t at = 0;
    for (std::size_t row = 0; row < sizes.size(); ++row) {
      if (row % kept_page_rows == 0) {
        page.resize(number(file.head().sizes.at(row / kept_page_rows + 1)));
        file.read(row / kept_page_rows + 1, &page[0]);
        at = 0;
      }
      if (sizes[row] == missing_integer) {
        work(row, nullptr);
        continue;
      }
      if (sizes[row] < 0 || at + static_cast<std::size_t>(sizes[row]) > page.size()) throw DamagedFile("another size");
      const std::string_view text = std::string_view(page).substr(at, static_cast<std::size_t>(sizes[row]));
      work(row, &text);
      at += text.size();
    }
  }

  static std::vector<std::string> write_out(const KeptFile& file) {
    std::vector<std::string> pages(pages_of(file));
    each_coded(file, [&](std::size_t row, const std::string* text) { if (text) pages[row / kept_page_rows] += *text; });
    return pages;
  }

  static void sizes_of_codes(const KeptFile& file, int* sizes) {
    each_coded(file, [&](std::size_t row, const std::string* text) {
      sizes[row] = text ? static_cast<int>(text->size()) : missing_integer;
    });
  }

  R_xlen_t count_pages() const {
    std::size_t pages = 0;
    for (const KeptFile& file : files_) {
      if (file.head().type < KeptType::coded_text) throw DamagedFile("another type");
      pages += pages_of(file);
    }
    return static_cast<R_xlen_t>(pages);
  }

  std::vector<KeptFile> files_;
  std::vector<R_xlen_t> first_rows_;
  R_xlen_t rows_ = 0;
  Workers workers_;
};

}  // namespace

// Keeps these rows of a column, the first being 0. Texts that are no late ones must be in UTF-8. Gives an empty text,
// or what the system said.
// [[Rcpp::export]]
std::string kept_write_cpp(std::string path, SEXP column, double first, double rows, int kinds, Rcpp::RawVector note) {
  const Contents contents(column, static_cast<R_xlen_t>(first), static_cast<R_xlen_t>(rows));
  KeptHead head;
  head.type = contents.type();
  head.kinds = static_cast<std::uint32_t>(kinds);
  head.rows = static_cast<std::uint64_t>(rows);
  head.note.assign(note.begin(), note.end());
  try {
    write_kept(path, head, contents.buffers());
  } catch (const InputError& error) {
    return error.what();
  }
  return "";
}

// What each file says of its column; a missing type where there is no whole file.
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
  try {
    return Parts(paths).read(type, threads);
  } catch (const InputError&) {
    return R_NilValue;
  } catch (const DamagedFile&) {
    return R_NilValue;
  } catch (const std::out_of_range&) {
    return R_NilValue;
  }
}
