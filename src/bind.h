#pragma once
// What the files that bind the core to R share: how a vector of R looks to the core.

#include <Rcpp.h>

#include <algorithm>
#include <string>
#include <vector>

#include "rounds.h"
#include "sequence.h"
#include "values.h"

// The types and the values of logical, integer, double and character vectors.
rowanroot::Type type_of_vector(SEXP x);
const void* address_of(SEXP x);

// The same for columns that are only grouped and ordered: those of class integer64 hold long integers.
rowanroot::Type type_of_column(SEXP x);

// New columns get the attributes of these: R would copy the values for it.
void give_attributes(const Rcpp::List& columns, const Rcpp::LogicalVector& are_new, const Rcpp::List& to);

// A new vector, of large pages where the system has them.
SEXP new_vector(SEXPTYPE type, R_xlen_t n);

// Texts in UTF-8 as R's strings.
Rcpp::CharacterVector strings_of(const std::vector<std::string>& texts);

// Where the values of a new vector go. Texts too are written there as they are, by any thread, without
// R's setter, which is safe for a vector that was made after all the texts that go into it: R's collector
// then never takes it for the older one.
void* writable_address(SEXP x);

// Whether the text has the same address wherever it is: the same text has one address per encoding, so only ASCII and
// UTF-8 can be compared by address.
bool is_comparable(SEXP text);

// A character vector of which equal texts have equal addresses: itself, or a translated copy.
Rcpp::RObject with_comparable_texts(SEXP x);

// The values of an integer vector, or null for NULL.
const std::int32_t* integers_or_null(SEXP x);

// Rows in the order that `order` has of them, from 0, and in the groups `of_row`, from 0; either may be NULL. By one
// thread, which the user can stop.
rowanroot::Sequence sequence_of(double rows, SEXP order, SEXP of_row, int groups);

// As many threads as a job of so many rows is worth, unless a number is asked for; the user can stop it.
rowanroot::Workers thread_count(R_xlen_t rows, int asked);

// The same of a job of values that are text, each of which costs more.
inline rowanroot::Workers threads_for_texts(R_xlen_t rows, R_xlen_t columns, int asked) {
  return thread_count(8 * rows * std::max<R_xlen_t>(columns, 1), asked);
}
