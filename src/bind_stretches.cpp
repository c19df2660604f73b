// Stretches of rows of several vectors, one after the other.

#include <algorithm>
#include <cstring>
#include <limits>
#include <string>
#include <vector>

#include "bind.h"
#include "deferred_strings.h"
#include "mapped_vectors.h"
#include "memory.h"
#include "text_numbering.h"

namespace {

using namespace rowanroot;

// Rows `first` to `first + rows` of vector `of` come to row `to`.
struct Stretch {
  std::size_t of;
  R_xlen_t first, rows, to;
};

// Short ones, so that threads can share them, and all texts of one fit on a page.
std::vector<Stretch> stretches_of(const Rcpp::IntegerVector& of, const Rcpp::NumericVector& first,
                                  const Rcpp::NumericVector& rows) {
  std::vector<Stretch> stretches;
  R_xlen_t to = 0;
  for (R_xlen_t k = 0; k < of.size(); ++k) {
    R_xlen_t at = static_cast<R_xlen_t>(first[k]);
    const R_xlen_t last = at + static_cast<R_xlen_t>(rows[k]);
    for (R_xlen_t more = 0; at < last; at += more, to += more) {
      more = std::min(last - at, texts_on_page);
      stretches.push_back({static_cast<std::size_t>(of[k] - 1), at, more, to});
    }
  }
  return stretches;
}

class Joiner {
 public:
  Joiner(const Rcpp::List& columns, std::vector<Stretch> stretches, int threads)
      : columns_(columns), stretches_(std::move(stretches)) {
    rows_ = stretches_.empty() ? 0 : stretches_.back().to + stretches_.back().rows;
    workers_ = thread_count(rows_, threads);
  }

  SEXP join() {
    const SEXPTYPE type = static_cast<SEXPTYPE>(TYPEOF(columns_[0]));
    for (SEXP column : columns_)
      if (static_cast<SEXPTYPE>(TYPEOF(column)) != type) Rcpp::stop("vectors of several types");
    if (type == STRSXP) return texts();
    if (type == REALSXP) return values<double>(type);
    if (type == INTSXP || type == LGLSXP) return values<std::int32_t>(type);
    Rcpp::stop("vectors of another type");
  }

 private:
  template <class Work>
  void each_stretch(Work work) {
    run_pieces(stretches_.size(), workers_, [&](int worker, std::size_t k) { work(worker, k, stretches_[k]); });
  }

  template <class T>
  SEXP values(SEXPTYPE type) {
    Rcpp::Shield<SEXP> result(new_vector(type, rows_));
    T* const to = static_cast<T*>(writable_address(result));
    std::vector<const T*> from;
    for (SEXP column : columns_) from.push_back(static_cast<const T*>(address_of(column)));
    each_stretch(
        [&](int, std::size_t, const Stretch& one) { std::copy_n(from[one.of] + one.first, one.rows, to + one.to); });
    return result;
  }

  SEXP texts() {
    R_xlen_t coded_rows = 0;
    bool some_made = false;
    for (const Stretch& one : stretches_) {
      SEXP column = columns_[static_cast<R_xlen_t>(one.of)];
      if (coded_texts_of(column)) coded_rows += one.rows;
      else some_made = some_made || !are_deferred(column);
    }
    // What is few in all rows may be many in some of them.
    return 2 * coded_rows >= rows_ ? codes() : some_made ? strings() : written();
  }

  // A vector has numbered its texts by itself, or has a text for each row.
  SEXP codes() {
    TextNumbering all;
    std::vector<const int*> from;
    std::vector<std::vector<std::int32_t>> numbers(static_cast<std::size_t>(columns_.size()));
    const auto number = [&](const TextBytes& text) {
      return text.bytes ? all.number(std::string_view(text.bytes, static_cast<std::size_t>(text.size)))
                        : missing_integer;
    };
    for (std::size_t k = 0; k < numbers.size(); ++k) {
      SEXP column = columns_[static_cast<R_xlen_t>(k)];
      const CodedTexts coded = coded_texts_of(column);
      SEXP texts = coded ? coded.texts : column;
      from.push_back(coded ? INTEGER_RO(coded.codes) : nullptr);
      const auto reader = new_text_reader(texts);
      TextBytes some[text_batch];
      for (R_xlen_t first = 0; first < XLENGTH(texts); first += text_batch) {
        const R_xlen_t count = std::min(text_batch, XLENGTH(texts) - first);
        reader->read(first, count, some);
        std::transform(some, some + count, std::back_inserter(numbers[k]), number);
      }
    }
    const Rcpp::CharacterVector different = strings_of(all.texts());
    Rcpp::Shield<SEXP> result(new_vector(INTSXP, rows_));
    int* const to = INTEGER(result);
    each_stretch([&](int, std::size_t, const Stretch& one) {
      const std::int32_t* const number_of = numbers[one.of].data();
      if (!from[one.of]) {
        std::copy_n(number_of + one.first, one.rows, to + one.to);
        return;
      }
      const int* const code = from[one.of] + one.first;
      for (R_xlen_t i = 0; i < one.rows; ++i)
        to[one.to + i] = code[i] == NA_INTEGER ? NA_INTEGER : number_of[code[i] - 1];
    });
    return new_coded_texts(result, different);
  }

  // Strings that are there stay, and the others are made before the vector that they go into.
  SEXP strings() {
    std::vector<const SEXP*> from;
    for (SEXP column : columns_) {
      make_texts(column);
      from.push_back(STRING_PTR_RO(column));
    }
    Rcpp::Shield<SEXP> result(new_vector(STRSXP, rows_));
    SEXP* const to = static_cast<SEXP*>(writable_address(result));
    each_stretch(
        [&](int, std::size_t, const Stretch& one) { std::copy_n(from[one.of] + one.first, one.rows, to + one.to); });
    return result;
  }

  SEXP written() {
    Rcpp::Shield<SEXP> starts(new_vector(INTSXP, rows_)), sizes(new_vector(INTSXP, rows_));
    int* const start = INTEGER(starts);
    int* const size = INTEGER(sizes);
    std::vector<std::vector<std::unique_ptr<TextReader>>> readers(static_cast<std::size_t>(std::max<int>(workers_, 1)));
    for (auto& of_worker : readers)
      for (SEXP column : columns_) {
        of_worker.push_back(new_text_reader(column));
        if (!of_worker.back()->is_for_threads()) workers_.threads = 1;
      }
    std::vector<RowBytes> pages(stretches_.size());
    each_stretch([&](int worker, std::size_t k, const Stretch& one) {
      TextReader& reader = *readers[static_cast<std::size_t>(worker)][one.of];
      RowBytes& page = pages[k];
      TextBytes texts[text_batch];
      for (R_xlen_t done = 0; done < one.rows; done += text_batch) {
        const R_xlen_t count = std::min(text_batch, one.rows - done);
        reader.read(one.first + done, count, texts);
        for (R_xlen_t i = 0; i < count; ++i) {
          const R_xlen_t row = one.to + done + i;
          start[row] = static_cast<int>(page.size());
          size[row] = texts[i].bytes ? texts[i].size : NA_INTEGER;
          if (!texts[i].bytes) continue;
          page.append(texts[i].bytes, static_cast<std::size_t>(texts[i].size));
          if (page.size() > static_cast<std::size_t>(std::numeric_limits<int>::max()))
            throw std::length_error("65,536 texts are longer than 2 GB");
        }
      }
    });
    const R_xlen_t count = static_cast<R_xlen_t>(pages.size());
    Rcpp::Shield<SEXP> bytes(Rf_allocVector(VECSXP, count)), first_rows(Rf_allocVector(REALSXP, count));
    for (std::size_t k = 0; k < pages.size(); ++k) {
      SET_VECTOR_ELT(bytes, static_cast<R_xlen_t>(k), raw_of(std::move(pages[k])));
      REAL(first_rows)[k] = static_cast<double>(stretches_[k].to);
    }
    return new_written_texts(bytes, starts, sizes, first_rows);
  }

  const Rcpp::List columns_;
  const std::vector<Stretch> stretches_;
  R_xlen_t rows_ = 0;
  Workers workers_;
};

}  // namespace

// Vectors of one type, with texts in UTF-8; stretch k is `rows[k]` rows of vector `of[k]`, counted from 1, of which the
// first is `first[k]`, counted from 0. Strings that are yet to be made stay so.
// [[Rcpp::export]]
SEXP join_stretches_cpp(Rcpp::List columns, Rcpp::IntegerVector of, Rcpp::NumericVector first, Rcpp::NumericVector rows,
                        int threads) {
  return Joiner(columns, stretches_of(of, first, rows), threads).join();
}
