#pragma once
// Large regions of memory. Getting memory page by page from the system costs more than most of what is done
// with it: large regions are of large pages where the system has them, and those given back are kept for the
// next one who asks.

#include <cstddef>
#include <new>
#include <type_traits>

namespace rowanroot {

// Smaller ones are the C library's.
constexpr std::size_t large_region = std::size_t(4) << 20;
// As many bytes of what was given back are kept at most.
constexpr std::size_t most_kept = std::size_t(1) << 30;
// Of these so many bytes are not offered to the system: most of what is given back is asked for again soon, and would
// have to be cleared.
constexpr std::size_t most_warm = std::size_t(192) << 20;

// Null if there is none. What is in it is anybody's guess.
void* get_memory(std::size_t bytes);
void give_memory_back(void* memory, std::size_t bytes);
// For those who no longer know the size of a large region.
void give_large_back(void* memory);

// How much given back is kept now. The system can take it whenever it needs memory.
std::size_t memory_kept();

// Values that nothing is written to before they are used.
template <class T>
class Buffer {
 public:
  explicit Buffer(std::size_t size = 0) : bytes_(size * sizeof(T) + 1), values_(static_cast<T*>(get_memory(bytes_))) {
    static_assert(std::is_trivially_copyable<T>::value, "a buffer holds plain values");
    if (!values_) throw std::bad_alloc();
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

  T* data() { return values_; }
  const T* data() const { return values_; }
  T& operator[](std::size_t i) { return values_[i]; }
  const T& operator[](std::size_t i) const { return values_[i]; }

 private:
  std::size_t bytes_;
  T* values_;
};

}  // namespace rowanroot
