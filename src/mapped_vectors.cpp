#include "mapped_vectors.h"

#include <R_ext/Altrep.h>

#include <memory>
#include <utility>

using rowanroot::MappedBytes;

namespace {

struct Held {
  std::shared_ptr<void> owner;
  void* values;
  std::size_t bytes;
  const char* where;
};

R_altrep_class_t of_logicals, of_integers, of_reals, of_bytes;

Held* held_by(SEXP x) { return static_cast<Held*>(R_ExternalPtrAddr(R_altrep_data1(x))); }

R_xlen_t length_of(SEXP x) {
  const R_xlen_t bytes = static_cast<R_xlen_t>(held_by(x)->bytes);
  return TYPEOF(x) == REALSXP ? bytes / 8 : TYPEOF(x) == RAWSXP ? bytes : bytes / 4;
}

void* values_of(SEXP x, Rboolean) { return held_by(x)->values; }

const void* values_or_null(SEXP x) { return held_by(x)->values; }

Rboolean inspect(SEXP x, int, int, int, void (*)(SEXP, int, int, int)) {
  Rprintf(" %.0f values %s\n", static_cast<double>(length_of(x)), held_by(x)->where);
  return TRUE;
}

void release(SEXP pointer) {
  delete static_cast<Held*>(R_ExternalPtrAddr(pointer));
  R_ClearExternalPtr(pointer);
}

void enroll(R_altrep_class_t type) {
  R_set_altrep_Length_method(type, length_of);
  R_set_altrep_Inspect_method(type, inspect);
  R_set_altvec_Dataptr_method(type, values_of);
  R_set_altvec_Dataptr_or_null_method(type, values_or_null);
}

template <class Owner>
SEXP new_held_vector(R_altrep_class_t type, std::shared_ptr<Owner> owner, void* values, const char* where) {
  Rcpp::Shield<SEXP> pointer(R_MakeExternalPtr(nullptr, R_NilValue, R_NilValue));
  R_RegisterCFinalizerEx(pointer, release, FALSE);
  const std::size_t bytes = owner->size();
  R_SetExternalPtrAddr(pointer, new Held{std::move(owner), values, bytes, where});
  return R_new_altrep(type, pointer, R_NilValue);
}

}  // namespace

SEXP new_mapped_vector(SEXPTYPE type, MappedBytes bytes) {
  const auto owner = std::make_shared<MappedBytes>(std::move(bytes));
  char* const values = owner->writable_bytes();
  if (!values) return R_NilValue;
  const R_altrep_class_t of_type =
      type == LGLSXP ? of_logicals : type == INTSXP ? of_integers : type == REALSXP ? of_reals : of_bytes;
  return new_held_vector(of_type, owner, values, "of a file");
}

namespace {

// R does not know how large they are, and would collect those that nobody needs any more too late.
void note_held(std::size_t bytes) {
  constexpr std::size_t held_at_once = std::size_t(1) << 28;
  static std::size_t held = 0;
  held += bytes;
  if (held <= held_at_once) return;
  R_gc();
  held = 0;
}

}  // namespace

SEXP raw_of(rowanroot::RowBytes bytes) {
  note_held(bytes.size());
  // What was left to grow into is given back if it is much.
  if (bytes.capacity() > bytes.size() + bytes.size() / 2) bytes.shrink_to_fit();
  const auto owner = std::make_shared<rowanroot::RowBytes>(std::move(bytes));
  return new_held_vector(of_bytes, owner, &(*owner)[0], "as they were made");
}

SEXP raw_of(std::shared_ptr<rowanroot::Buffer<char>> bytes) {
  note_held(bytes->size());
  void* const values = bytes->data();
  return new_held_vector(of_bytes, std::move(bytes), values, "as they were read");
}

// [[Rcpp::init]]
void enroll_mapped_vectors(DllInfo* library) {
  enroll(of_logicals = R_make_altlogical_class("mapped_logicals", "rowanroot", library));
  enroll(of_integers = R_make_altinteger_class("mapped_integers", "rowanroot", library));
  enroll(of_reals = R_make_altreal_class("mapped_reals", "rowanroot", library));
  enroll(of_bytes = R_make_altraw_class("mapped_bytes", "rowanroot", library));
}
