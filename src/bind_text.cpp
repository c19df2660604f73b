// Texts, one by one. What only looks at them is done by several threads; what makes R's strings, by one.

#include <algorithm>
#include <atomic>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "bind.h"
#include "deferred_strings.h"
#include "mapped_vectors.h"
#include "memory.h"
#include "moments.h"
#include "texts.h"

using namespace rowanroot;

namespace {

std::string_view view(SEXP text) { return {CHAR(text), static_cast<std::size_t>(LENGTH(text))}; }

// Whether the bytes are characters of UTF-8. Other texts are R's business.
bool is_plain_text(SEXP text, std::string_view bytes) {
  return is_ascii(bytes) || (Rf_getCharCE(text) == CE_UTF8 && is_utf8(bytes));
}

// Texts lie anywhere: one that will be looked at soon is fetched meanwhile.
constexpr R_xlen_t ahead = 24;
void fetch(SEXP text) {
  const char* const bytes = reinterpret_cast<const char*>(text);
  __builtin_prefetch(bytes);
  __builtin_prefetch(bytes + 64);
}

std::size_t pages_for(R_xlen_t rows) { return static_cast<std::size_t>((rows + texts_on_page - 1) / texts_on_page); }

// Does the same for texts that are yet to be made, which are in UTF-8, without making them. Gives whether it can.
template <class Work, class Missing>
bool each_deferred_text(SEXP texts, Work work, Missing missing) {
  if (!are_deferred(texts)) return false;
  const R_xlen_t rows = XLENGTH(texts);
  const Workers workers = thread_count(rows, 0);
  std::vector<std::unique_ptr<TextReader>> readers;
  for (int k = 0; k < std::max<int>(workers, 1); ++k) readers.push_back(new_text_reader(texts));
  if (!readers[0]->is_for_threads()) return false;
  run_pieces(pages_for(rows), workers, [&](int worker, std::size_t piece) {
    const R_xlen_t last = std::min(rows, static_cast<R_xlen_t>(piece + 1) * texts_on_page);
    TextBytes found[text_batch];
    for (R_xlen_t i = static_cast<R_xlen_t>(piece) * texts_on_page; i < last; i += text_batch) {
      const R_xlen_t count = std::min(text_batch, last - i);
      readers[static_cast<std::size_t>(worker)]->read(i, count, found);
      for (R_xlen_t k = 0; k < count; ++k) {
        if (found[k].bytes) work(i + k, std::string_view(found[k].bytes, static_cast<std::size_t>(found[k].size)));
        else missing(i + k);
      }
    }
  });
  return true;
}

// Does work(row, text) for each text that is not missing, and missing(row) for the others. Gives whether all are in
// UTF-8; if not, some may be left out.
template <class Work, class Missing>
bool each_text(SEXP texts, Work work, Missing missing) {
  if (each_deferred_text(texts, work, missing)) return true;
  make_texts(texts);
  const SEXP* const from = STRING_PTR_RO(texts);
  const R_xlen_t rows = XLENGTH(texts);
  std::atomic<bool> all_plain(true);
  const std::size_t pieces = pages_for(rows);
  run_pieces(pieces, thread_count(rows, 0), [&](int, std::size_t piece) {
    const R_xlen_t first = static_cast<R_xlen_t>(piece) * texts_on_page, last = std::min(rows, first + texts_on_page);
    for (R_xlen_t i = first; i < last && all_plain; ++i) {
      if (i + ahead < last) fetch(from[i + ahead]);
      if (from[i] == NA_STRING) {
        missing(i);
        continue;
      }
      const std::string_view text = view(from[i]);
      if (is_plain_text(from[i], text)) work(i, text);
      else all_plain = false;
    }
  });
  return all_plain;
}

// Pieces of texts: cut(text, &piece) gives whether there is one. NULL if a text is not in UTF-8.
template <class CutText>
SEXP cut_texts(SEXP texts, CutText cut) {
  Rcpp::Shield<SEXP> starts(new_vector(INTSXP, XLENGTH(texts))), sizes(new_vector(INTSXP, XLENGTH(texts)));
  int* const start = INTEGER(starts);
  int* const size = INTEGER(sizes);
  const auto missing = [=](R_xlen_t i) { start[i] = 0, size[i] = NA_INTEGER; };
  const bool all_plain = each_text(texts, [=](R_xlen_t i, std::string_view text) {
    std::string_view piece;
    if (!cut(text, &piece)) return missing(i);
    start[i] = static_cast<int>(piece.data() - text.data());
    size[i] = static_cast<int>(piece.size());
  }, missing);
  return all_plain ? new_pieces_of(texts, starts, sizes) : R_NilValue;
}

// A value for each text: value(text). NULL if a text is not in UTF-8.
template <class Value>
SEXP about_texts(SEXPTYPE type, SEXP texts, int missing, Value value) {
  Rcpp::Shield<SEXP> values(new_vector(type, XLENGTH(texts)));
  int* const to = type == LGLSXP ? LOGICAL(values) : INTEGER(values);
  const bool all_plain = each_text(
      texts, [=](R_xlen_t i, std::string_view text) { to[i] = static_cast<int>(value(text)); },
      [=](R_xlen_t i) { to[i] = missing; });
  return all_plain ? static_cast<SEXP>(values) : R_NilValue;
}

// New texts: write(text, &made) appends the new text. NULL if a text is not in UTF-8.
template <class Write>
SEXP written_texts(SEXP texts, Write write) {
  const R_xlen_t rows = XLENGTH(texts);
  Rcpp::Shield<SEXP> starts(new_vector(INTSXP, rows)), sizes(new_vector(INTSXP, rows)),
      pages(Rf_allocVector(VECSXP, static_cast<R_xlen_t>(pages_for(rows))));
  int* const start = INTEGER(starts);
  int* const size = INTEGER(sizes);
  struct Page {
    rowanroot::RowBytes bytes;
    std::string text;
  };
  std::vector<Page> written(pages_for(rows));
  const bool all_plain = each_text(texts, [&](R_xlen_t i, std::string_view text) {
    rowanroot::RowBytes& page = written[static_cast<std::size_t>(i / texts_on_page)].bytes;
    std::string& made = written[static_cast<std::size_t>(i / texts_on_page)].text;
    // Mostly the new texts are as long as the old.
    if (page.empty()) page.reserve(static_cast<std::size_t>(texts_on_page) * (text.size() + 2));
    const std::size_t before = page.size();
    made.clear();
    write(text, &made);
    page.append(made.data(), made.size());
    if (page.size() > static_cast<std::size_t>(std::numeric_limits<int>::max()))
      throw std::length_error("the new texts are too long");
    start[i] = static_cast<int>(before);
    size[i] = static_cast<int>(page.size() - before);
  }, [=](R_xlen_t i) { start[i] = 0, size[i] = NA_INTEGER; });
  if (!all_plain) return R_NilValue;
  for (std::size_t k = 0; k < written.size(); ++k)
    SET_VECTOR_ELT(pages, static_cast<R_xlen_t>(k), raw_of(std::move(written[k].bytes)));
  return new_written_texts(pages, starts, sizes);
}

}  // namespace

// How many parts each text has; missing for a missing text. Texts are in UTF-8.
// [[Rcpp::export]]
SEXP count_parts_cpp(Rcpp::CharacterVector texts, std::string at) {
  return about_texts(INTSXP, texts, NA_INTEGER, [&](std::string_view text) {
    return each_part(text, at, 0, [](std::size_t, std::string_view) {});
  });
}

// The first parts of each text, one vector for each; missing where there are not so many. The last goes on to the end
// of the text with `rest`. `fits` is whether each text that is not missing has as many parts.
// [[Rcpp::export]]
SEXP split_texts_cpp(Rcpp::CharacterVector texts, std::string at, int parts, bool rest) {
  const R_xlen_t rows = texts.size();
  Rcpp::List starts(parts), sizes(parts), columns(parts);
  std::vector<int*> start, size;
  for (int k = 0; k < parts; ++k) {
    starts[k] = new_vector(INTSXP, rows);
    sizes[k] = new_vector(INTSXP, rows);
    start.push_back(INTEGER(starts[k]));
    size.push_back(INTEGER(sizes[k]));
  }
  const auto missing_from = [&](std::size_t k, R_xlen_t i) {
    for (; k < start.size(); ++k) start[k][i] = 0, size[k][i] = NA_INTEGER;
  };
  // One more part than is wanted ends the last one that is.
  const std::size_t wanted = static_cast<std::size_t>(parts), most = wanted + !rest;
  std::atomic<bool> fits(true);
  const bool all_plain = each_text(texts, [&](R_xlen_t i, std::string_view text) {
    const std::size_t found = each_part(text, at, most, [&](std::size_t k, std::string_view part) {
      if (k >= wanted) return;
      start[k][i] = static_cast<int>(part.data() - text.data());
      size[k][i] = static_cast<int>(part.size());
    });
    missing_from(found, i);
    if (found != wanted) fits = false;
  }, [&](R_xlen_t i) { missing_from(0, i); });
  if (!all_plain) return R_NilValue;
  for (int k = 0; k < parts; ++k) columns[k] = new_pieces_of(texts, starts[k], sizes[k]);
  return Rcpp::List::create(Rcpp::Named("columns") = columns, Rcpp::Named("fits") = static_cast<bool>(fits));
}

// [[Rcpp::export]]
bool are_utf8_cpp(Rcpp::CharacterVector texts) {
  return each_text(
      texts, [](R_xlen_t, std::string_view) {}, [](R_xlen_t) {});
}

// What follows gives NULL if a text is not in UTF-8.

// Characters from first to last, counted from 1.
// [[Rcpp::export]]
SEXP cut_characters_cpp(Rcpp::CharacterVector texts, double first, double last) {
  const auto whole = [](double x) { return static_cast<std::int64_t>(std::max(-1e15, std::min(1e15, x))); };
  return cut_texts(texts, [from = whole(first), to = whole(last)](std::string_view text, std::string_view* piece) {
    *piece = characters(text, from, to);
    return true;
  });
}

// [[Rcpp::export]]
SEXP trim_texts_cpp(Rcpp::CharacterVector texts, bool left, bool right) {
  return cut_texts(texts, [=](std::string_view text, std::string_view* piece) {
    *piece = trimmed(text, left, right);
    return true;
  });
}

// Missing where one of the ends is not there.
// [[Rcpp::export]]
SEXP cut_between_cpp(Rcpp::CharacterVector texts, std::string from, std::string to) {
  return cut_texts(texts,
                   [&](std::string_view text, std::string_view* piece) { return find_between(text, from, to, piece); });
}

// [[Rcpp::export]]
SEXP count_characters_cpp(Rcpp::CharacterVector texts) {
  return about_texts(INTSXP, texts, NA_INTEGER, [](std::string_view text) { return count_characters(text); });
}

// Whether each text begins with another (`where` "start"), ends with it ("end"), or has it in it ("in").
// [[Rcpp::export]]
SEXP has_text_cpp(Rcpp::CharacterVector texts, std::string part, std::string where, int missing) {
  return about_texts(LGLSXP, texts, missing,
                     [&, at_start = where == "start", at_end = where == "end"](std::string_view text) {
                       if (!at_start && !at_end) return text.find(part) != text.npos;
                       return text.size() >= part.size() &&
                              text.compare(at_start ? 0 : text.size() - part.size(), part.size(), part) == 0;
                     });
}

// [[Rcpp::export]]
SEXP change_case_cpp(Rcpp::CharacterVector texts, bool upper) {
  return written_texts(texts, [=](std::string_view text, std::string* page) { append_in_case(text, upper, page); });
}

// [[Rcpp::export]]
SEXP replace_in_texts_cpp(Rcpp::CharacterVector texts, std::string from, std::string to, bool all) {
  return written_texts(texts,
                       [&](std::string_view text, std::string* page) { append_replaced(text, from, to, all, page); });
}

// Whether the core can read texts of this format ("": ISO 8601), and whether it has a date.
// [[Rcpp::export]]
Rcpp::LogicalVector moment_format_cpp(std::string format) {
  const MomentReader reader(format);
  return Rcpp::LogicalVector::create(Rcpp::Named("can_read") = reader.can_read(),
                                     Rcpp::Named("has_date") = reader.has_date());
}

// Seconds since 1970, without the blanks around a text; missing for empty texts, and NaN for what is not a time of this
// format. `universal` marks those of Universal Time, not of a clock.
// [[Rcpp::export]]
SEXP read_moments_cpp(Rcpp::CharacterVector texts, std::string format) {
  const MomentReader reader(format);
  Rcpp::Shield<SEXP> seconds(new_vector(REALSXP, texts.size())), universal(new_vector(LGLSXP, texts.size()));
  double* const second = REAL(seconds);
  int* const is_universal = LOGICAL(universal);
  const auto missing = [=](R_xlen_t i) { second[i] = NA_REAL, is_universal[i] = 0; };
  const bool all_plain = each_text(texts, [&](R_xlen_t i, std::string_view text) {
    text = trimmed(text, true, true);
    if (text.empty()) return missing(i);
    Moment moment;
    const bool fits = reader.read(text, &moment);
    second[i] = fits ? moment.value : R_NaN;
    is_universal[i] = moment.is_universal;
  }, missing);
  if (!all_plain) return R_NilValue;
  return Rcpp::List::create(Rcpp::Named("seconds") = static_cast<SEXP>(seconds),
                            Rcpp::Named("universal") = static_cast<SEXP>(universal));
}

// Moments, or days, as ISO 8601 has them. Missing ones are missing; what can't be written so is empty.
// [[Rcpp::export]]
Rcpp::CharacterVector iso_texts_cpp(Rcpp::NumericVector values, bool days) {
  Rcpp::CharacterVector texts(values.size());
  std::string text;
  for (R_xlen_t i = 0; i < values.size(); ++i) {
    if (std::isnan(values[i])) {
      texts[i] = NA_STRING;
      continue;
    }
    text.clear();
    if (days) write_day(values[i], &text);
    else write_moment(values[i], &text);
    texts[i] = Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
  }
  return texts;
}

// [[Rcpp::export]]
bool has_negative_zero_cpp(SEXP values) {
  if (TYPEOF(values) != REALSXP) return false;
  const double* const value = REAL(values);
  return std::any_of(value, value + Rf_xlength(values), [](double one) { return one == 0 && std::signbit(one); });
}
