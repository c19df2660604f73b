#pragma once
// Moving windows: for each row, what it and the rows around it in its group come to.
//
// Each window is the end of one stretch of rows and the beginning of the next, stretches being as long as windows;
// what ends and beginnings come to is found once (van Herk, 1992; Gil and Werman, 1993). So a window costs the same
// however long it is, and no sum is ever taken away again: no error is carried on from row to row. For medians the
// values of two windows are sorted at a time.

#include <cstddef>
#include <string>

#include "sequence.h"
#include "values.h"

namespace rowanroot {

enum class Moving { total, mean, least, greatest, deviation, median, count };

// Throws std::invalid_argument for a name that there is not.
Moving moving_of_name(const std::string& name);

// The rows that a window has, in the order of the group: so many before its own row and after it. Or, if rows have a
// place `at` along a scale, such as a day, those whose place is between the row's own `from` and `to`, of which the one
// belongs to the window if `with_to`, else the other; rows without a place have no window.
struct Window {
  std::size_t before = 0, after = 0;
  const double *at = nullptr, *from = nullptr, *to = nullptr;
  bool with_to = true;
  // How far a window along a scale may reach beyond the group's first and last place and still be whole.
  double step = 0;
  // Windows that are cut off by an edge are missing, else of the rows that there are.
  bool complete = true;
  // Missing values are left out, and a window without known values is missing; else one of them makes it missing.
  bool skip = false;
};

void moving(Moving what, const Window& window, const double* values, const Sequence& sequence, double* result);

}  // namespace rowanroot
