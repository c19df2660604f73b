#pragma once
// Large pieces of memory. Getting memory page by page costs more than most of what is done with it, so they
// are of large pages where the system has them.

#include <cstddef>
#include <cstdlib>
#include <new>
#include <type_traits>

#ifdef __linux__
#include <sys/mman.h>
#endif

namespace rowanroot {

// Memory that is freed by std::free(); null if there is none.
inline void* get_memory(std::size_t bytes) {
#ifdef __linux__
  constexpr std::size_t page = std::size_t(1) << 21;
  if (bytes >= 2 * page) {
    void* memory = nullptr;
    if (posix_memalign(&memory, page, bytes) != 0) return nullptr;
    madvise(memory, bytes & ~(page - 1), MADV_HUGEPAGE);
    return memory;
  }
#endif
  return std::malloc(bytes);
}

// Values that nothing is written to before they are used.
template <class T>
class Buffer {
 public:
  explicit Buffer(std::size_t size = 0) : values_(static_cast<T*>(get_memory(size * sizeof(T) + 1))) {
    static_assert(std::is_trivially_copyable<T>::value, "a buffer holds plain values");
    if (!values_) throw std::bad_alloc();
  }
  ~Buffer() { std::free(values_); }
  Buffer(const Buffer&) = delete;
  Buffer& operator=(const Buffer&) = delete;
  Buffer(Buffer&& other) noexcept : values_(other.values_) { other.values_ = nullptr; }

  T* data() { return values_; }
  const T* data() const { return values_; }
  T& operator[](std::size_t i) { return values_[i]; }
  const T& operator[](std::size_t i) const { return values_[i]; }

 private:
  T* values_;
};

}  // namespace rowanroot
