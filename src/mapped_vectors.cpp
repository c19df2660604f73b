#include "mapped_vectors.h"

#include <R_ext/Altrep.h>

#include <utility>

using rowanroot::MappedBytes;

namespace {

struct Mapped {
  MappedBytes bytes;
  void* values;
};

R_altrep_class_t of_logicals, of_integers, of_reals, of_bytes;

Mapped* mapped_of(SEXP x) { return static_cast<Mapped*>(R_ExternalPtrAddr(R_altrep_data1(x))); }

R_xlen_t length_of(SEXP x) {
  const R_xlen_t bytes = static_cast<R_xlen_t>(mapped_of(x)->bytes.size());
  return TYPEOF(x) == REALSXP ? bytes / 8 : TYPEOF(x) == RAWSXP ? bytes : bytes / 4;
}

void* values_of(SEXP x, Rboolean) { return mapped_of(x)->values; }

const void* values_or_null(SEXP x) { return mapped_of(x)->values; }

Rboolean inspect(SEXP x, int, int, int, void (*)(SEXP, int, int, int)) {
  Rprintf(" %.0f values of a file\n", static_cast<double>(length_of(x)));
  return TRUE;
}

void unmap(SEXP pointer) {
  delete static_cast<Mapped*>(R_ExternalPtrAddr(pointer));
  R_ClearExternalPtr(pointer);
}

void enroll(R_altrep_class_t type) {
  R_set_altrep_Length_method(type, length_of);
  R_set_altrep_Inspect_method(type, inspect);
  R_set_altvec_Dataptr_method(type, values_of);
  R_set_altvec_Dataptr_or_null_method(type, values_or_null);
}

}  // namespace

SEXP new_mapped_vector(SEXPTYPE type, MappedBytes bytes) {
  char* const values = bytes.writable_bytes();
  if (!values) return R_NilValue;
  Rcpp::Shield<SEXP> pointer(R_MakeExternalPtr(nullptr, R_NilValue, R_NilValue));
  R_RegisterCFinalizerEx(pointer, unmap, FALSE);
  R_SetExternalPtrAddr(pointer, new Mapped{std::move(bytes), values});
  const R_altrep_class_t of_type =
      type == LGLSXP ? of_logicals : type == INTSXP ? of_integers : type == REALSXP ? of_reals : of_bytes;
  return R_new_altrep(of_type, pointer, R_NilValue);
}

// [[Rcpp::init]]
void enroll_mapped_vectors(DllInfo* library) {
  enroll(of_logicals = R_make_altlogical_class("mapped_logicals", "rowanroot", library));
  enroll(of_integers = R_make_altinteger_class("mapped_integers", "rowanroot", library));
  enroll(of_reals = R_make_altreal_class("mapped_reals", "rowanroot", library));
  enroll(of_bytes = R_make_altraw_class("mapped_bytes", "rowanroot", library));
}
