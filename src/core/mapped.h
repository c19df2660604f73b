#pragma once
// Bytes of a file as memory, without copying them. What is written to them is the process's own, and changes no file.
// For files that nobody changes but by putting another in their place: where one becomes shorter, the system ends the
// process that looks at what is gone.

#include <cstddef>
#include <cstdint>
#include <string>

namespace rowanroot {

class MappedBytes {
 public:
  MappedBytes() = default;
  // Nothing where the system can't do it, or where a limit of the process's data would count them as copies.
  MappedBytes(const std::string& path, std::uint64_t first, std::size_t count);
  ~MappedBytes();
  MappedBytes(MappedBytes&& other) noexcept;
  MappedBytes& operator=(MappedBytes&& other) noexcept;
  MappedBytes(const MappedBytes&) = delete;
  MappedBytes& operator=(const MappedBytes&) = delete;

  explicit operator bool() const { return bytes_ != nullptr; }
  const char* bytes() const { return bytes_; }
  std::size_t size() const { return size_; }
  // The same bytes, to be written to; null if they can't be.
  char* writable_bytes();

 private:
  void* pages_ = nullptr;
  std::size_t size_of_pages_ = 0, size_ = 0;
  const char* bytes_ = nullptr;
};

}  // namespace rowanroot
