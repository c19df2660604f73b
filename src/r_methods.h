#pragma once
// What R calls of a vector of its kind may not end in an exception, which would end R.

#include <Rcpp.h>

#include <cstdio>
#include <exception>
#include <new>

// The same function, with R's error in place of an exception. R leaves it by a jump: nothing is left to be undone then.
template <auto method>
struct RMethod;

template <class Result, class... Given, Result (*method)(Given...)>
struct RMethod<method> {
  static Result call(Given... given) {
    char said[256];
    try {
      return method(given...);
    } catch (const std::bad_alloc& e) {
      std::snprintf(said, sizeof said, "cannot allocate memory: %s", e.what());
    } catch (const std::exception& e) {
      std::snprintf(said, sizeof said, "%s", e.what());
    }
    Rf_error("%s", said);
  }
};

template <auto method>
constexpr auto as_r_method = &RMethod<method>::call;
