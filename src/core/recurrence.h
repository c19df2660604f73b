#pragma once
// Recurrences: a program run for one row after the other, group by group, that has its own results of the row above
// among its inputs.

#include <vector>

#include "program.h"
#include "sequence.h"

namespace rowanroot {

// One column of a recurrence: the number of its output, and the input register that has its value in the row above. In
// a group's first row that is `start`, or what `group_starts` has for the group, unless that is null. All are of one
// type.
struct Link {
  int output;
  int above;
  Constant start;
  const void* group_starts;
  void* result;
};

// Gives the overflows of all rows.
Overflow run_recurrence(const Program& program, const std::vector<Link>& links, const std::vector<const void*>& inputs,
                        const Sequence& sequence, Text missing_text);

}  // namespace rowanroot
