// A new string costs R more than most of what is done with it, so results that are texts stay as what they are made of
// until they are used: numbers of a few different texts, pieces of other texts, or columns to join.

#include <algorithm>
#include <initializer_list>
#include <string>
#include <vector>

#include "bind.h"
#include "deferred_strings.h"
#include "r_methods.h"
#include "string_maker.h"

#include <R_ext/Altrep.h>

namespace {

constexpr R_xlen_t batch = text_batch;
using Piece = TextBytes;

// A form has the length of the vector that its parts, a list, make, and whether its strings are new, to be stored. If
// so, an object of it gives the bytes of each: piece(row, k), for the k-th row of a batch; and `prepare` may fetch what
// a later row will need.
struct Coded {
  static constexpr const char* name = "coded_texts";
  static constexpr bool makes_new = false;
  static R_xlen_t length(SEXP parts) { return XLENGTH(VECTOR_ELT(parts, 0)); }
  static SEXP text(SEXP parts, R_xlen_t i) {
    const int code = INTEGER_ELT(VECTOR_ELT(parts, 0), i);
    return code == NA_INTEGER ? NA_STRING : STRING_ELT(VECTOR_ELT(parts, 1), code - 1);
  }
};

struct Cut {
  static constexpr const char* name = "cut_texts";
  static constexpr bool makes_new = true;
  static R_xlen_t length(SEXP parts) { return XLENGTH(VECTOR_ELT(parts, 1)); }

  explicit Cut(SEXP parts)
      : source_(STRING_PTR_RO(VECTOR_ELT(parts, 0))),
        starts_(INTEGER_RO(VECTOR_ELT(parts, 1))),
        sizes_(INTEGER_RO(VECTOR_ELT(parts, 2))) {}
  Piece piece(R_xlen_t i, R_xlen_t) const {
    if (sizes_[i] == NA_INTEGER) return {nullptr, 0};
    return {CHAR(source_[i]) + starts_[i], sizes_[i]};
  }
  void prepare(R_xlen_t i) const {
    const char* const source = reinterpret_cast<const char*>(source_[i]);
    __builtin_prefetch(source);
    __builtin_prefetch(source + 64);
  }

 private:
  const SEXP* const source_;
  const int* const starts_;
  const int* const sizes_;
};

struct Written {
  static constexpr const char* name = "written_texts";
  static constexpr bool makes_new = true;
  static R_xlen_t length(SEXP parts) { return XLENGTH(VECTOR_ELT(parts, 1)); }

  explicit Written(SEXP parts)
      : pages_(VECTOR_ELT(parts, 0)),
        first_rows_(VECTOR_ELT(parts, 3)),
        starts_(INTEGER_RO(VECTOR_ELT(parts, 1))),
        sizes_(INTEGER_RO(VECTOR_ELT(parts, 2))) {}
  Piece piece(R_xlen_t i, R_xlen_t) {
    if (sizes_[i] == NA_INTEGER) return {nullptr, 0};
    if (i < page_begins_ || i >= page_ends_) find_page(i);
    return {page_ + starts_[i], sizes_[i]};
  }
  void prepare(R_xlen_t) const {}
  // Asks R where all pages are: after that any thread may read.
  void find_all_pages() {
    for (R_xlen_t k = 0; k < XLENGTH(pages_); ++k) addresses_.push_back(address(k));
  }

 private:
  const char* address(R_xlen_t number) const {
    return reinterpret_cast<const char*>(RAW_RO(VECTOR_ELT(pages_, number)));
  }
  void find_page(R_xlen_t i) {
    R_xlen_t number = i / texts_on_page;
    page_begins_ = number * texts_on_page;
    page_ends_ = page_begins_ + texts_on_page;
    if (first_rows_ != R_NilValue) {
      const double* const first = REAL_RO(first_rows_);
      const double* const last = first + XLENGTH(first_rows_);
      const double* const next = std::upper_bound(first, last, static_cast<double>(i));
      number = next - first - 1;
      page_begins_ = static_cast<R_xlen_t>(first[number]);
      page_ends_ = next == last ? R_XLEN_T_MAX : static_cast<R_xlen_t>(*next);
    }
    page_ = addresses_.empty() ? address(number) : addresses_[static_cast<std::size_t>(number)];
  }

  const SEXP pages_, first_rows_;
  const int* const starts_;
  const int* const sizes_;
  std::vector<const char*> addresses_;
  const char* page_ = nullptr;
  R_xlen_t page_begins_ = 0, page_ends_ = 0;
};

struct Joined {
  static constexpr const char* name = "joined_texts";
  static constexpr bool makes_new = true;
  static R_xlen_t length(SEXP parts) { return static_cast<R_xlen_t>(REAL_ELT(VECTOR_ELT(parts, 2), 0)); }

  explicit Joined(SEXP parts) : columns_(VECTOR_ELT(parts, 0)), with_(STRING_ELT(VECTOR_ELT(parts, 1), 0)) {}
  Piece piece(R_xlen_t i, R_xlen_t number) {
    std::string& joined = joined_[number];
    joined.clear();
    for (R_xlen_t k = 0; k < XLENGTH(columns_); ++k) {
      SEXP column = VECTOR_ELT(columns_, k), text = STRING_ELT(column, XLENGTH(column) == 1 ? 0 : i);
      if (text == NA_STRING) return {nullptr, 0};
      if (k > 0) joined.append(CHAR(with_), static_cast<std::size_t>(LENGTH(with_)));
      joined.append(CHAR(text), static_cast<std::size_t>(LENGTH(text)));
    }
    return {joined.data(), static_cast<int>(joined.size())};
  }
  void prepare(R_xlen_t) const {}

 private:
  const SEXP columns_, with_;
  std::string joined_[batch];
};

// R's side of a form. The first datum is the parts, NULL once the vector may have been written to, or all new
// strings are made; the second the strings, as far as they are made, or NULL. An empty text there may be one yet to be
// made.
template <class Form>
struct DeferredStrings {
  static R_altrep_class_t type;

  // The caller protects the parts.
  static SEXP make(std::initializer_list<SEXP> parts) {
    Rcpp::Shield<SEXP> list(Rf_allocVector(VECSXP, static_cast<R_xlen_t>(parts.size())));
    R_xlen_t k = 0;
    for (SEXP part : parts) {
      if (part != R_NilValue) MARK_NOT_MUTABLE(part);
      SET_VECTOR_ELT(list, k++, part);
    }
    return R_new_altrep(type, list, R_NilValue);
  }

  static SEXP parts(SEXP x) { return R_altrep_data1(x); }
  static SEXP strings(SEXP x) { return R_altrep_data2(x); }
  static bool is_one(SEXP x) { return ALTREP(x) && R_altrep_inherits(x, type); }
  static bool is_whole(SEXP x) { return strings(x) != R_NilValue && (!Form::makes_new || parts(x) == R_NilValue); }

  static R_xlen_t length(SEXP x) { return parts(x) == R_NilValue ? XLENGTH(strings(x)) : Form::length(parts(x)); }

  static SEXP text(SEXP x, R_xlen_t i) {
    if (is_whole(x)) return STRING_ELT(strings(x), i);
    if constexpr (!Form::makes_new) {
      return Form::text(parts(x), i);
    } else {
      if (strings(x) == R_NilValue) R_set_altrep_data2(x, new_vector(STRSXP, length(x)));
      if (STRING_ELT(strings(x), i) == R_BlankString) {
        // Who looks at one after the other will look at more: as many are made as there are, and soon all, since R's
        // collector, which waits meanwhile, may come after each time.
        constexpr R_xlen_t patience = 4096;
        if (is_empty(x, i)) return R_BlankString;
        const bool goes_on = i > 0 && STRING_ELT(strings(x), i - 1) != R_BlankString;
        const R_xlen_t more = !goes_on ? 1 : i < patience ? std::min(i, length(x) - i) : length(x) - i;
        StringMaker maker(strings(x), more);
        make_some(x, i, i + more, maker);
      }
      return STRING_ELT(strings(x), i);
    }
  }

  // Whether there is an empty text, not one that is yet to be made.
  static bool is_empty(SEXP x, R_xlen_t i) {
    Form form(parts(x));
    const Piece piece = form.piece(i, 0);
    return piece.bytes && piece.size == 0;
  }

  static void make_some(SEXP x, R_xlen_t first, R_xlen_t last, StringMaker& maker) {
    Form form(parts(x));
    Piece pieces[batch];
    for (; first < last; first += batch) {
      const R_xlen_t count = std::min(batch, last - first);
      for (R_xlen_t k = 0; k < count; ++k) pieces[k] = form.piece(first + k, k);
      maker.make(pieces, first, count, [&](R_xlen_t k) {
        if (first + batch + k < last) form.prepare(first + batch + k);
      });
    }
  }

  // `between` is called now and then. If it throws, what is made so far is kept.
  template <class Between>
  static void make_all(SEXP x, Between between) {
    constexpr R_xlen_t step = 1 << 16;
    const R_xlen_t n = length(x);
    if (strings(x) == R_NilValue) R_set_altrep_data2(x, new_vector(STRSXP, n));
    StringMaker maker(strings(x), n);
    for (R_xlen_t first = 0; first < n; first += step) {
      make_some(x, first, std::min(first + step, n), maker);
      between();
    }
    R_set_altrep_data1(x, R_NilValue);
  }

  static SEXP whole(SEXP x) {
    if (is_whole(x)) return strings(x);
    if constexpr (!Form::makes_new) {
      const R_xlen_t n = length(x);
      // The vector is younger than its texts.
      Rcpp::Shield<SEXP> made(new_vector(STRSXP, n));
      SEXP* const to = static_cast<SEXP*>(writable_address(made));
      for (R_xlen_t i = 0; i < n; ++i) to[i] = Form::text(parts(x), i);
      R_set_altrep_data2(x, made);
    } else {
      make_all(x, [] {});
    }
    return strings(x);
  }

  // Gives false if it is a vector of another form.
  static bool make_stepwise(SEXP x) {
    if (!is_one(x)) return false;
    if (!is_whole(x)) make_all(x, [] { Rcpp::checkUserInterrupt(); });
    return true;
  }

  static void* address(SEXP x, Rboolean writes) {
    SEXP made = whole(x);
    if (writes) R_set_altrep_data1(x, R_NilValue);
    return writable_address(made);
  }

  static const void* address_or_null(SEXP x) { return is_whole(x) ? address_of(strings(x)) : nullptr; }

  static void set(SEXP x, R_xlen_t i, SEXP text) {
    whole(x);
    R_set_altrep_data1(x, R_NilValue);
    SET_STRING_ELT(strings(x), i, text);
  }

  static SEXP copy(SEXP x, Rboolean) {
    return parts(x) == R_NilValue ? nullptr : R_new_altrep(type, parts(x), R_NilValue);
  }

  static Rboolean inspect(SEXP x, int, int, int, void (*)(SEXP, int, int, int)) {
    Rprintf("%s of rowanroot, %s\n", Form::name, is_whole(x) ? "made" : "not made");
    return TRUE;
  }

  static void enroll(DllInfo* library) {
    type = R_make_altstring_class(Form::name, "rowanroot", library);
    R_set_altrep_Length_method(type, length);
    R_set_altrep_Duplicate_method(type, as_r_method<copy>);
    R_set_altrep_Inspect_method(type, inspect);
    R_set_altvec_Dataptr_method(type, as_r_method<address>);
    R_set_altvec_Dataptr_or_null_method(type, address_or_null);
    R_set_altstring_Elt_method(type, as_r_method<text>);
    R_set_altstring_Set_elt_method(type, as_r_method<set>);
  }
};

template <class Form>
R_altrep_class_t DeferredStrings<Form>::type;

// Some of coded texts are coded texts.
SEXP some_of_coded(SEXP x, SEXP which, SEXP) {
  const CodedTexts coded = coded_texts_of(x);
  if (!coded || (TYPEOF(which) != INTSXP && TYPEOF(which) != REALSXP)) return nullptr;
  const R_xlen_t n = XLENGTH(coded.codes), wanted = XLENGTH(which);
  const int* const from = INTEGER_RO(coded.codes);
  Rcpp::Shield<SEXP> codes(new_vector(INTSXP, wanted));
  int* const to = INTEGER(codes);
  for (R_xlen_t k = 0; k < wanted; ++k) {
    const double i = TYPEOF(which) == REALSXP              ? REAL_ELT(which, k)
                     : INTEGER_ELT(which, k) == NA_INTEGER ? NA_REAL
                                                           : INTEGER_ELT(which, k);
    to[k] = i >= 1 && i <= static_cast<double>(n) ? from[static_cast<R_xlen_t>(i) - 1] : NA_INTEGER;
  }
  return new_coded_texts(codes, coded.texts);
}

}  // namespace

void make_texts(SEXP x) {
  DeferredStrings<Cut>::make_stepwise(x) || DeferredStrings<Written>::make_stepwise(x) ||
      DeferredStrings<Joined>::make_stepwise(x);
}

SEXP new_coded_texts(SEXP codes, SEXP texts) {
  // No string may be made while the codes are put into the vector: they are all made before.
  make_texts(texts);
  STRING_PTR_RO(texts);
  return DeferredStrings<Coded>::make({codes, texts});
}

CodedTexts coded_texts_of(SEXP x) {
  CodedTexts coded;
  if (!DeferredStrings<Coded>::is_one(x) || R_altrep_data1(x) == R_NilValue) return coded;
  coded.codes = VECTOR_ELT(R_altrep_data1(x), 0);
  coded.texts = VECTOR_ELT(R_altrep_data1(x), 1);
  return coded;
}

SEXP new_cut_texts(SEXP source, SEXP starts, SEXP sizes) { return DeferredStrings<Cut>::make({source, starts, sizes}); }

SEXP new_written_texts(SEXP pages, SEXP starts, SEXP sizes, SEXP first_rows) {
  return DeferredStrings<Written>::make({pages, starts, sizes, first_rows});
}

SEXP new_joined_texts(SEXP columns, SEXP with, R_xlen_t rows) {
  return DeferredStrings<Joined>::make({columns, with, Rcpp::Shield<SEXP>(Rf_ScalarReal(static_cast<double>(rows)))});
}

namespace {

TextBytes bytes_of(SEXP text) {
  return text == NA_STRING ? TextBytes{nullptr, 0} : TextBytes{CHAR(text), LENGTH(text)};
}

// Strings that are there, of each row or of the row's code.
class StringReader : public TextReader {
 public:
  StringReader(SEXP texts, SEXP codes)
      : strings_(STRING_PTR_RO(texts)), codes_(codes == R_NilValue ? nullptr : INTEGER_RO(codes)) {
    if (codes_ && XLENGTH(texts) <= most_known && XLENGTH(texts) <= XLENGTH(codes)) know(XLENGTH(texts));
  }
  void read(R_xlen_t first, R_xlen_t count, TextBytes* texts) override {
    if (!codes_) {
      for (R_xlen_t k = 0; k < count; ++k) texts[k] = bytes_of(strings_[first + k]);
      return;
    }
    const int* const code = codes_ + first;
    for (R_xlen_t k = 0; k < count; ++k) {
      if (code[k] == NA_INTEGER) texts[k] = {nullptr, 0};
      else texts[k] = known_.empty() ? bytes_of(strings_[code[k] - 1]) : known_[static_cast<std::size_t>(code[k]) - 1];
      __builtin_prefetch(texts[k].bytes);
    }
  }

 private:
  static constexpr R_xlen_t most_known = 1 << 16, most_bytes = 1 << 22;

  // Few texts that many rows share are looked at once. Short ones are copied to one place, which is nearer than R's
  // are.
  void know(R_xlen_t count) {
    std::size_t size = 0;
    for (R_xlen_t k = 0; k < count; ++k) {
      known_.push_back(bytes_of(strings_[k]));
      if (known_.back().bytes) size += static_cast<std::size_t>(known_.back().size);
    }
    if (size > most_bytes) return;
    bytes_.reserve(size + 1);
    for (TextBytes& text : known_) {
      if (!text.bytes) continue;
      const char* const place = bytes_.data() + bytes_.size();
      bytes_.insert(bytes_.end(), text.bytes, text.bytes + text.size);
      text.bytes = place;
    }
  }

  const SEXP* const strings_;
  const int* const codes_;
  std::vector<TextBytes> known_;
  std::vector<char> bytes_;
};

template <class Form>
class LateReader : public TextReader {
 public:
  explicit LateReader(SEXP parts) : form_(parts) {
    if constexpr (std::is_same<Form, Written>::value) form_.find_all_pages();
  }
  void read(R_xlen_t first, R_xlen_t count, TextBytes* texts) override {
    for (R_xlen_t k = 0; k < count; ++k) texts[k] = form_.piece(first + k, k);
  }
  // What is joined may have to be made before.
  bool is_for_threads() const override { return !std::is_same<Form, Joined>::value; }

 private:
  Form form_;
};

template <class Form>
bool is_late(SEXP x) { return DeferredStrings<Form>::is_one(x) && !DeferredStrings<Form>::is_whole(x); }

template <class Form>
std::unique_ptr<TextReader> late_reader(SEXP x) {
  if (!is_late<Form>(x)) return nullptr;
  return std::make_unique<LateReader<Form>>(DeferredStrings<Form>::parts(x));
}

}  // namespace

static std::unique_ptr<TextReader> new_late_reader(SEXP texts) {
  for (const auto& of_form : {late_reader<Cut>, late_reader<Written>, late_reader<Joined>})
    if (auto reader = of_form(texts)) return reader;
  return nullptr;
}

SEXP new_pieces_of(SEXP texts, SEXP starts, SEXP sizes) {
  const auto begin_at = [&](SEXP of_texts) {
    const int *const by = INTEGER_RO(of_texts), *const size = INTEGER_RO(sizes);
    int* const start = INTEGER(starts);
    for (R_xlen_t i = 0; i < XLENGTH(starts); ++i)
      if (size[i] != NA_INTEGER) start[i] += by[i];
  };
  if (is_late<Written>(texts)) {
    SEXP parts = DeferredStrings<Written>::parts(texts);
    begin_at(VECTOR_ELT(parts, 1));
    return new_written_texts(VECTOR_ELT(parts, 0), starts, sizes, VECTOR_ELT(parts, 3));
  }
  if (is_late<Cut>(texts)) {
    SEXP parts = DeferredStrings<Cut>::parts(texts);
    begin_at(VECTOR_ELT(parts, 1));
    return new_cut_texts(VECTOR_ELT(parts, 0), starts, sizes);
  }
  return new_cut_texts(texts, starts, sizes);
}

bool are_deferred(SEXP texts) { return is_late<Cut>(texts) || is_late<Written>(texts) || is_late<Joined>(texts); }

std::unique_ptr<TextReader> new_text_reader(SEXP texts) {
  if (auto reader = new_late_reader(texts)) return reader;
  const CodedTexts coded = coded_texts_of(texts);
  return std::make_unique<StringReader>(coded ? coded.texts : texts, coded.codes);
}

// [[Rcpp::init]]
void enroll_deferred_strings(DllInfo* library) {
  DeferredStrings<Coded>::enroll(library);
  R_set_altvec_Extract_subset_method(DeferredStrings<Coded>::type, as_r_method<some_of_coded>);
  DeferredStrings<Cut>::enroll(library);
  DeferredStrings<Written>::enroll(library);
  DeferredStrings<Joined>::enroll(library);
}
