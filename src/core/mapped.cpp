#include "mapped.h"

#include <utility>

#include "available.h"

#ifndef _WIN32
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#endif

#ifndef MAP_POPULATE
#define MAP_POPULATE 0
#endif

namespace rowanroot {

MappedBytes::MappedBytes(MappedBytes&& other) noexcept { *this = std::move(other); }

MappedBytes& MappedBytes::operator=(MappedBytes&& other) noexcept {
  std::swap(pages_, other.pages_);
  std::swap(size_of_pages_, other.size_of_pages_);
  std::swap(size_, other.size_);
  std::swap(bytes_, other.bytes_);
  return *this;
}

#ifndef _WIN32

MappedBytes::MappedBytes(const std::string& path, std::uint64_t first, std::size_t count) {
  if (!count || limits_own_data()) return;
  const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (file < 0) return;
  const std::uint64_t before = first % static_cast<std::uint64_t>(::sysconf(_SC_PAGESIZE));
  struct stat about;
  // Bytes behind the end of a file end the process that looks at them.
  if (::fstat(file, &about) == 0 && static_cast<std::uint64_t>(about.st_size) >= first + count) {
    const std::size_t all = count + static_cast<std::size_t>(before);
    // To be read at first: pages that may be written to would be copied when they are fetched.
    void* const pages =
        ::mmap(nullptr, all, PROT_READ, MAP_PRIVATE | MAP_POPULATE, file, static_cast<off_t>(first - before));
    if (pages != MAP_FAILED) {
      pages_ = pages;
      size_of_pages_ = all;
      size_ = count;
      bytes_ = static_cast<const char*>(pages) + before;
    }
  }
  ::close(file);
}

MappedBytes::~MappedBytes() {
  if (pages_) ::munmap(pages_, size_of_pages_);
}

char* MappedBytes::writable_bytes() {
  if (!pages_ || ::mprotect(pages_, size_of_pages_, PROT_READ | PROT_WRITE) != 0) return nullptr;
  return const_cast<char*>(bytes_);
}

#else

MappedBytes::MappedBytes(const std::string&, std::uint64_t, std::size_t) {}
MappedBytes::~MappedBytes() = default;
char* MappedBytes::writable_bytes() { return nullptr; }

#endif

}  // namespace rowanroot
