#pragma once
// Moving windows: for each row, what it and the rows before it in its group come to, so many in all.
//
// Each window is the end of one stretch of rows and the beginning of the next, stretches being as long as windows;
// what ends and beginnings come to is found once (van Herk, 1992; Gil and Werman, 1993). So a window costs the same
// however long it is, and no sum is ever taken away again: no error is carried on from row to row.

#include <cstddef>
#include <string>

#include "sequence.h"
#include "values.h"

namespace rowanroot {

enum class Moving { total, mean, least, greatest };

// Throws std::invalid_argument for a name that there is not.
Moving moving_of_name(const std::string& name);

// A window with a missing value gives missing. Where there are not yet so many rows it is missing if `complete`, else
// of the rows that there are.
void moving(Moving what, std::size_t window, bool complete, const double* values, const Sequence& sequence,
            double* result);

}  // namespace rowanroot
