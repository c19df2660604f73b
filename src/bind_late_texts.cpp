// A new string costs R more than most of what is done with it, so results that are texts stay as what they are made of
// until somebody looks: numbers of a few different texts, pieces of other texts, or columns to join.

#include <string>

#include "bind.h"
#include "late_texts.h"

#include <R_ext/Altrep.h>

namespace {

// A form says how long the vector is that its parts, a list, make; how one string comes out of them; and whether that is a
// new one, to be kept.
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
  static SEXP text(SEXP parts, R_xlen_t i) {
    const int size = INTEGER_ELT(VECTOR_ELT(parts, 2), i);
    if (size == NA_INTEGER) return NA_STRING;
    return Rf_mkCharLenCE(CHAR(STRING_ELT(VECTOR_ELT(parts, 0), i)) + INTEGER_ELT(VECTOR_ELT(parts, 1), i), size, CE_UTF8);
  }
};

struct Joined {
  static constexpr const char* name = "joined_texts";
  static constexpr bool makes_new = true;
  static R_xlen_t length(SEXP parts) { return static_cast<R_xlen_t>(REAL_ELT(VECTOR_ELT(parts, 2), 0)); }
  static SEXP text(SEXP parts, R_xlen_t i) {
    SEXP columns = VECTOR_ELT(parts, 0), with = STRING_ELT(VECTOR_ELT(parts, 1), 0);
    std::string joined;
    for (R_xlen_t k = 0; k < XLENGTH(columns); ++k) {
      SEXP column = VECTOR_ELT(columns, k), text = STRING_ELT(column, XLENGTH(column) == 1 ? 0 : i);
      if (text == NA_STRING) return NA_STRING;
      if (k > 0) joined.append(CHAR(with), static_cast<std::size_t>(LENGTH(with)));
      joined.append(CHAR(text), static_cast<std::size_t>(LENGTH(text)));
    }
    return Rf_mkCharLenCE(joined.data(), static_cast<int>(joined.size()), CE_UTF8);
  }
};

// R's side of a form. The first datum is the parts, NULL once somebody may have written to the vector, or all new strings
// are made; the second the strings, as far as they are made, or NULL. An empty text there may be one yet to be made.
template <class Form>
struct LateTexts {
  static R_altrep_class_t type;

  static SEXP make(SEXP parts) {
    for (R_xlen_t k = 0; k < XLENGTH(parts); ++k) MARK_NOT_MUTABLE(VECTOR_ELT(parts, k));
    return R_new_altrep(type, parts, R_NilValue);
  }

  static SEXP parts(SEXP x) { return R_altrep_data1(x); }
  static SEXP strings(SEXP x) { return R_altrep_data2(x); }
  static bool is_whole(SEXP x) { return strings(x) != R_NilValue && (!Form::makes_new || parts(x) == R_NilValue); }

  static R_xlen_t length(SEXP x) { return parts(x) == R_NilValue ? XLENGTH(strings(x)) : Form::length(parts(x)); }

  static SEXP text(SEXP x, R_xlen_t i) {
    if (is_whole(x)) return STRING_ELT(strings(x), i);
    if (!Form::makes_new) return Form::text(parts(x), i);
    if (strings(x) == R_NilValue) R_set_altrep_data2(x, Rf_allocVector(STRSXP, length(x)));
    SEXP made = STRING_ELT(strings(x), i);
    if (made != R_BlankString) return made;
    made = PROTECT(Form::text(parts(x), i));
    SET_STRING_ELT(strings(x), i, made);
    UNPROTECT(1);
    return made;
  }

  static SEXP whole(SEXP x) {
    if (is_whole(x)) return strings(x);
    const R_xlen_t n = length(x);
    if (Form::makes_new) {
      for (R_xlen_t i = 0; i < n; ++i) text(x, i);
      if (n == 0) R_set_altrep_data2(x, Rf_allocVector(STRSXP, 0));
      R_set_altrep_data1(x, R_NilValue);
    } else {
      // The vector is younger than its texts.
      SEXP made = PROTECT(new_vector(STRSXP, n));
      SEXP* const to = static_cast<SEXP*>(writable_address(made));
      for (R_xlen_t i = 0; i < n; ++i) to[i] = Form::text(parts(x), i);
      R_set_altrep_data2(x, made);
      UNPROTECT(1);
    }
    return strings(x);
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

  static SEXP copy(SEXP x, Rboolean) { return parts(x) == R_NilValue ? nullptr : make(parts(x)); }

  static Rboolean inspect(SEXP x, int, int, int, void (*)(SEXP, int, int, int)) {
    Rprintf("%s of rowanroot, %s\n", Form::name, is_whole(x) ? "made" : "not made");
    return TRUE;
  }

  static void enroll(DllInfo* library) {
    type = R_make_altstring_class(Form::name, "rowanroot", library);
    R_set_altrep_Length_method(type, length);
    R_set_altrep_Duplicate_method(type, copy);
    R_set_altrep_Inspect_method(type, inspect);
    R_set_altvec_Dataptr_method(type, address);
    R_set_altvec_Dataptr_or_null_method(type, address_or_null);
    R_set_altstring_Elt_method(type, text);
    R_set_altstring_Set_elt_method(type, set);
  }
};

template <class Form>
R_altrep_class_t LateTexts<Form>::type;

// Some of coded texts are coded texts.
SEXP some_of_coded(SEXP x, SEXP which, SEXP) {
  const CodedTexts coded = coded_texts_of(x);
  if (!coded || (TYPEOF(which) != INTSXP && TYPEOF(which) != REALSXP)) return nullptr;
  const R_xlen_t n = XLENGTH(coded.codes), wanted = XLENGTH(which);
  const int* const from = INTEGER_RO(coded.codes);
  Rcpp::Shield<SEXP> codes(new_vector(INTSXP, wanted));
  int* const to = INTEGER(codes);
  for (R_xlen_t k = 0; k < wanted; ++k) {
    const double i = TYPEOF(which) == REALSXP ? REAL_ELT(which, k) : INTEGER_ELT(which, k) == NA_INTEGER ? NA_REAL : INTEGER_ELT(which, k);
    to[k] = i >= 1 && i <= static_cast<double>(n) ? from[static_cast<R_xlen_t>(i) - 1] : NA_INTEGER;
  }
  return new_coded_texts(codes, coded.texts);
}

}  // namespace

SEXP new_coded_texts(SEXP codes, SEXP texts) {
  Rcpp::Shield<SEXP> parts(Rf_allocVector(VECSXP, 2));
  SET_VECTOR_ELT(parts, 0, codes);
  SET_VECTOR_ELT(parts, 1, texts);
  return LateTexts<Coded>::make(parts);
}

CodedTexts coded_texts_of(SEXP x) {
  CodedTexts coded;
  if (!ALTREP(x) || !R_altrep_inherits(x, LateTexts<Coded>::type) || R_altrep_data1(x) == R_NilValue) return coded;
  coded.codes = VECTOR_ELT(R_altrep_data1(x), 0);
  coded.texts = VECTOR_ELT(R_altrep_data1(x), 1);
  return coded;
}

SEXP new_cut_texts(SEXP source, SEXP starts, SEXP sizes) {
  Rcpp::Shield<SEXP> parts(Rf_allocVector(VECSXP, 3));
  SET_VECTOR_ELT(parts, 0, source);
  SET_VECTOR_ELT(parts, 1, starts);
  SET_VECTOR_ELT(parts, 2, sizes);
  return LateTexts<Cut>::make(parts);
}

SEXP new_joined_texts(SEXP columns, SEXP with, R_xlen_t rows) {
  Rcpp::Shield<SEXP> parts(Rf_allocVector(VECSXP, 3));
  SET_VECTOR_ELT(parts, 0, columns);
  SET_VECTOR_ELT(parts, 1, with);
  SET_VECTOR_ELT(parts, 2, Rf_ScalarReal(static_cast<double>(rows)));
  return LateTexts<Joined>::make(parts);
}

// [[Rcpp::init]]
void enroll_late_texts(DllInfo* library) {
  LateTexts<Coded>::enroll(library);
  R_set_altvec_Extract_subset_method(LateTexts<Coded>::type, some_of_coded);
  LateTexts<Cut>::enroll(library);
  LateTexts<Joined>::enroll(library);
}

// Texts by their numbers, from 1, in a vector of them.
// [[Rcpp::export]]
SEXP coded_texts_cpp(Rcpp::IntegerVector codes, Rcpp::CharacterVector texts) { return new_coded_texts(codes, texts); }

// Columns of texts in UTF-8, as long as the table or of one text, joined row by row when they are looked at.
// [[Rcpp::export]]
SEXP joined_texts_cpp(Rcpp::List columns, Rcpp::CharacterVector with, double rows) {
  return new_joined_texts(columns, with, static_cast<R_xlen_t>(rows));
}
