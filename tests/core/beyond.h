#pragma once
// Work that is done the same with memory to spare and with more in use than the budget.

#include <memory>

#include "check.h"
#include "memory.h"

// While it lives there is more in use than the budget.
class BeyondMemory {
 public:
  BeyondMemory() {
    rowanroot::limit_memory(1, "/tmp");
    held_ = std::make_unique<rowanroot::Buffer<char>>(rowanroot::counted_region);
  }
  ~BeyondMemory() {
    held_.reset();
    rowanroot::limit_memory(0, "");
  }

 private:
  std::unique_ptr<rowanroot::Buffer<char>> held_;
};

template <class Work>
void within_and_beyond_memory(Work work) {
  work();
#ifdef __linux__
  const BeyondMemory beyond;
  CHECK(rowanroot::is_beyond_memory());
  work();
#endif
}
