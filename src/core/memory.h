#pragma once
// Large regions of memory. Getting memory page by page from the system costs more than most of what is done
// with it: large regions are of large pages where the system has them, and those given back are kept for the
// next one who asks. Beyond a budget they are files without a name, which the system takes out of memory and brings
// back as it needs.

#include <cstddef>
#include <new>
#include <string>
#include <type_traits>
#include <vector>

namespace rowanroot {

// Smaller ones are the C library's, whatever the budget.
constexpr std::size_t counted_region = std::size_t(128) << 10;
// From so many bytes on they are of large pages.
constexpr std::size_t large_region = std::size_t(3) << 20;
// As many bytes of what was given back are kept at most.
constexpr std::size_t most_kept = std::size_t(1) << 30;
// Of these so many bytes are not offered to the system: most of what is given back is asked for again soon, and would
// have to be cleared.
constexpr std::size_t most_warm = std::size_t(192) << 20;

// Null if there is none, and memory_problem() says why. What is in it is anybody's guess.
void* get_memory(std::size_t bytes);
void give_memory_back(void* memory, std::size_t bytes);
// For those who no longer know the size of a region, which was counted.
void give_counted_back(void* memory);

// How much given back is kept now. The system can take it whenever it needs memory.
std::size_t memory_kept();

// From now on counted regions beyond so many bytes are files in this folder. 0 bytes stand for half of what the process
// could have when it asked for the first of them.
void limit_memory(std::size_t bytes, const std::string& folder);
std::size_t memory_budget();

// How many bytes of counted regions are in use, and how many of these are files.
struct MemoryUse {
  std::size_t memory = 0, files = 0;
};
MemoryUse memory_in_use();

// Whether there is more in use than the budget, so that columns are best gone through one place after the other.
inline bool is_beyond_memory() { return memory_in_use().files > 0; }

// Why a region could not be had the last time, from what the system said.
std::string memory_problem();

struct OutOfMemory : std::bad_alloc {
  OutOfMemory() : problem(memory_problem()) {}
  const char* what() const noexcept override { return problem.c_str(); }
  std::string problem;
};

// Values that nothing is written to before they are used.
template <class T>
class Buffer {
 public:
  explicit Buffer(std::size_t size = 0) : bytes_(size * sizeof(T) + 1), values_(static_cast<T*>(get_memory(bytes_))) {
    static_assert(std::is_trivially_copyable<T>::value, "a buffer holds plain values");
    if (!values_) throw OutOfMemory();
  }
  ~Buffer() { if (values_) give_memory_back(values_, bytes_); }
  Buffer(const Buffer&) = delete;
  Buffer& operator=(const Buffer&) = delete;
  Buffer(Buffer&& other) noexcept : bytes_(other.bytes_), values_(other.values_) { other.values_ = nullptr; }
  Buffer& operator=(Buffer&& other) noexcept {
    std::swap(bytes_, other.bytes_);
    std::swap(values_, other.values_);
    return *this;
  }

  std::size_t size() const { return (bytes_ - 1) / sizeof(T); }
  T* data() { return values_; }
  const T* data() const { return values_; }
  T& operator[](std::size_t i) { return values_[i]; }
  const T& operator[](std::size_t i) const { return values_[i]; }

 private:
  std::size_t bytes_;
  T* values_;
};

// For vectors and texts of the library that have a value for each row.
template <class T>
struct MemoryAllocator {
  using value_type = T;
  MemoryAllocator() = default;
  template <class Other>
  MemoryAllocator(const MemoryAllocator<Other>&) {}
  T* allocate(std::size_t size) {
    void* const memory = get_memory(size * sizeof(T));
    if (!memory) throw OutOfMemory();
    return static_cast<T*>(memory);
  }
  void deallocate(T* memory, std::size_t size) { give_memory_back(memory, size * sizeof(T)); }
  template <class Other>
  bool operator==(const MemoryAllocator<Other>&) const { return true; }
  template <class Other>
  bool operator!=(const MemoryAllocator<Other>&) const { return false; }
};

template <class T>
using RowVector = std::vector<T, MemoryAllocator<T>>;
using RowBytes = std::basic_string<char, std::char_traits<char>, MemoryAllocator<char>>;

}  // namespace rowanroot
