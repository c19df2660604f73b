#pragma once
// Vectors of R whose values lie elsewhere: in a file (core/mapped.h), or where they were made. R's own code sees
// ordinary ones; what it writes to them is written to no file.

#include <Rcpp.h>

#include <memory>

#include "mapped.h"
#include "memory.h"

// As many values as the bytes hold: logicals, whole numbers, real numbers or bytes. Null if nothing is mapped.
SEXP new_mapped_vector(SEXPTYPE type, rowanroot::MappedBytes bytes);

// These bytes, which are not copied, as a raw vector.
SEXP raw_of(rowanroot::RowBytes bytes);
SEXP raw_of(std::shared_ptr<rowanroot::Buffer<char>> bytes);
