// Columns of R in files of the store, and back.

#include <algorithm>
#include <cstring>
#include <string>
#include <unordered_map>
#include <vector>

#include "bind.h"
#include "kept.h"
#include "late_texts.h"
#include "names.h"

namespace {

using namespace rowanroot;

const char* const type_names[] = {"logical", "integer", "number", "coded_text", "text"};

// What a column is in a file, held until it is written.
class Contents {
 public:
  Contents(SEXP column, R_xlen_t first, R_xlen_t rows) : rows_(static_cast<std::size_t>(rows)) {
    if (TYPEOF(column) == LGLSXP) plain(KeptType::logical, static_cast<const std::int32_t*>(address_of(column)) + first);
    else if (TYPEOF(column) == INTSXP) plain(KeptType::integer, static_cast<const std::int32_t*>(address_of(column)) + first);
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
    buffers_ = {{numbers_.data(), rows_ * sizeof(std::int32_t)}, {sizes_.data(), sizes_.size() * sizeof(std::int32_t)}, {bytes_.data(), bytes_.size()}};
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
        if (found[k].bytes) pages_[row / kept_page_rows].append(found[k].bytes, static_cast<std::size_t>(found[k].size));
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
    if (type == "text") return all_coded() ? codes() : texts();
    if (type == "logical") return values<std::int32_t>(LGLSXP);
    if (type == "integer") return values<std::int32_t>(INTSXP);
    return values<double>(REALSXP);
  }

 private:
  static std::size_t number(std::uint64_t size) { return static_cast<std::size_t>(size); }

  bool all_coded() const {
    return std::all_of(files_.begin(), files_.end(), [](const KeptFile& file) { return file.head().type == KeptType::coded_text; });
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
      for (std::size_t i = 0; i < narrow.size(); ++i) first[i] = narrow[i] == missing_integer ? static_cast<T>(missing_real()) : static_cast<T>(narrow[i]);
    });
    return result;
  }

  template <class T>
  static void read_into(const KeptFile& file, std::size_t buffer, T* to, std::size_t count) {
    if (file.head().sizes.at(buffer) != count * sizeof(T)) throw DamagedFile("another size");
    file.read(buffer, to);
  }

  static std::vector<std::string> different_texts(const KeptFile& file) {
    std::vector<std::int32_t> sizes(number(file.head().sizes.at(1)) / sizeof(std::int32_t));
    file.read(1, sizes.data());
    std::string bytes(number(file.head().sizes.at(2)), '\0');
    file.read(2, &bytes[0]);
    std::vector<std::string> texts;
    std::size_t at = 0;
    for (std::int32_t size : sizes) {
      if (size < 0 || at + static_cast<std::size_t>(size) > bytes.size()) throw DamagedFile("another size");
      texts.push_back(bytes.substr(at, static_cast<std::size_t>(size)));
      at += static_cast<std::size_t>(size);
    }
    return texts;
  }

  // Every file has numbered its texts by itself.
  SEXP codes() {
    Rcpp::Shield<SEXP> result(new_vector(INTSXP, rows_));
    int* const to = INTEGER(result);
    std::vector<std::string> all;
    std::unordered_map<std::string, std::int32_t> known;
    std::vector<std::vector<std::int32_t>> numbers(files_.size());
    for (std::size_t k = 0; k < files_.size(); ++k) {
      for (std::string& text : different_texts(files_[k])) {
        const auto found = known.emplace(text, static_cast<std::int32_t>(all.size()) + 1);
        if (found.second) all.push_back(std::move(text));
        numbers[k].push_back(found.first->second);
      }
    }
    run_pieces(files_.size(), workers_, [&](int, std::size_t k) {
      int* const code = to + first_rows_[k];
      const std::size_t rows = number(files_[k].head().rows);
      read_into(files_[k], 0, code, rows);
      for (std::size_t i = 0; i < rows; ++i) {
        if (code[i] == missing_integer) continue;
        if (code[i] < 1 || static_cast<std::size_t>(code[i]) > numbers[k].size()) throw DamagedFile("another number");
        code[i] = numbers[k][static_cast<std::size_t>(code[i]) - 1];
      }
    });
    Rcpp::CharacterVector texts(static_cast<R_xlen_t>(all.size()));
    for (std::size_t k = 0; k < all.size(); ++k) texts[static_cast<R_xlen_t>(k)] = Rf_mkCharLenCE(all[k].data(), static_cast<int>(all[k].size()), CE_UTF8);
    return new_coded_texts(result, texts);
  }

  SEXP texts() {
    Rcpp::Shield<SEXP> starts(new_vector(INTSXP, rows_)), sizes(new_vector(INTSXP, rows_));
    const R_xlen_t pages = count_pages();
    Rcpp::Shield<SEXP> bytes(Rf_allocVector(VECSXP, pages)), first_rows(Rf_allocVector(REALSXP, pages));
    R_xlen_t page = 0;
    for (std::size_t k = 0; k < files_.size(); ++k) {
      const bool is_coded = files_[k].head().type == KeptType::coded_text;
      const std::size_t rows = number(files_[k].head().rows);
      int* const size = INTEGER(sizes) + first_rows_[k];
      int* const start = INTEGER(starts) + first_rows_[k];
      std::vector<std::int32_t> codes(is_coded ? rows : 0);
      std::vector<std::string> different;
      if (is_coded) {
        different = different_texts(files_[k]);
        read_into(files_[k], 0, codes.data(), rows);
        for (std::size_t i = 0; i < rows; ++i) size[i] = codes[i] == missing_integer ? missing_integer : static_cast<int>(different.at(static_cast<std::size_t>(codes[i]) - 1).size());
      } else {
        read_into(files_[k], 0, size, rows);
      }
      for (std::size_t row = 0, n = 1; row < rows; row += kept_page_rows, ++n, ++page) {
        const std::size_t end = std::min(rows, row + kept_page_rows);
        std::int64_t all = 0;
        for (std::size_t i = row; i < end; ++i) {
          start[i] = static_cast<int>(all);
          if (size[i] != missing_integer) all += size[i];
        }
        if (all > std::numeric_limits<std::int32_t>::max() || (!is_coded && files_[k].head().sizes.at(n) != static_cast<std::uint64_t>(all))) throw DamagedFile("another size");
        SEXP copy = new_vector(RAWSXP, static_cast<R_xlen_t>(all));
        SET_VECTOR_ELT(bytes, page, copy);
        REAL(first_rows)[page] = static_cast<double>(first_rows_[k]) + static_cast<double>(row);
        if (!is_coded) {
          files_[k].read(n, RAW(copy));
          continue;
        }
        for (std::size_t i = row; i < end; ++i)
          if (codes[i] != missing_integer) std::memcpy(RAW(copy) + start[i], different[static_cast<std::size_t>(codes[i]) - 1].data(), static_cast<std::size_t>(size[i]));
      }
    }
    return new_written_texts(bytes, starts, sizes, first_rows);
  }

  R_xlen_t count_pages() const {
    std::size_t pages = 0;
    for (const KeptFile& file : files_) {
      if (file.head().type < KeptType::coded_text) throw DamagedFile("another type");
      pages += (number(file.head().rows) + kept_page_rows - 1) / kept_page_rows;
    }
    return static_cast<R_xlen_t>(pages);
  }

  std::vector<KeptFile> files_;
  std::vector<R_xlen_t> first_rows_;
  R_xlen_t rows_ = 0;
  Workers workers_;
};

}  // namespace

// Keeps these rows of a column, the first being 0. Texts that are no late ones must be in UTF-8. Gives an empty text, or what the
// system said.
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
  return Rcpp::List::create(Rcpp::Named("type") = types, Rcpp::Named("kinds") = kinds, Rcpp::Named("rows") = rows, Rcpp::Named("note") = notes);
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
