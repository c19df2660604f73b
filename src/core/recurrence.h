#pragma once
// Recurrences: a program run for one row after the other, group by group, that has its own result of the row above as
// one of its inputs.

#include <vector>

#include "program.h"
#include "sequence.h"

namespace rowanroot {

// `above` is the number of the input register that has the result of the row above, or `start` in a group's first row,
// or what `group_starts` has for the group, unless that is null; `result` is the program's only output, of the same
// type. Gives the overflows of all rows.
Overflow run_recurrence(const Program& program, int above, const Constant& start, const void* group_starts,
                        const std::vector<const void*>& inputs, const Sequence& sequence, Text missing_text,
                        void* result);

}  // namespace rowanroot
