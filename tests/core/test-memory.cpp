#include <cstring>

#include "check.h"
#include "memory.h"

using namespace rowanroot;

TEST("a large piece given back is the next one of its size, and no more than a bound is kept") {
  const std::size_t mega = std::size_t(1) << 20;
  void* first = get_memory(40 * mega);
  std::memset(first, 1, 40 * mega);
  give_memory_back(first, 40 * mega);
#ifdef __linux__
  CHECK(memory_kept() == 40 * mega);
  void* small = get_memory(20 * mega);
  CHECK(small != first);
  void* other = get_memory(41 * mega);
  CHECK(other != first);
  void* same = get_memory(39 * mega);
  CHECK(same == first);
  CHECK(memory_kept() == 0);
  std::memset(same, 2, 39 * mega);
  give_large_back(small);
  give_large_back(other);
  give_large_back(same);
#endif
  for (int i = 0; i < 3; ++i) {
    std::vector<Buffer<double>> many;
    for (int k = 0; k < 20; ++k) many.emplace_back(6 * mega);
    CHECK(memory_kept() <= most_kept);
  }
  CHECK(memory_kept() <= most_kept);
  // Larger than all that is kept: straight back to the system.
  const std::size_t before = memory_kept();
  give_memory_back(get_memory(most_kept + mega), most_kept + mega);
  CHECK(memory_kept() == before);
}

TEST("a small piece is the C library's") {
  void* piece = get_memory(100);
  const std::size_t before = memory_kept();
  give_memory_back(piece, 100);
  CHECK(memory_kept() == before);
}
