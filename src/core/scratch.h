#pragma once
// Memory that is a file: the system writes it to the disk when others need the memory. The file has no name, so that
// nothing of it is left behind, whatever ends the process.

#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <string>

namespace rowanroot {

class Scratch {
 public:
  // Null if there is no room; `problem` is then why. The room is reserved at once: a disk that becomes full later does
  // no harm.
  void* map(const std::string& folder, std::size_t bytes, std::string* problem);
  void unmap(void* memory);
  // In a process that was split off: what it writes is its own from now on.
  void keep_apart();

 private:
  class File;
  struct Piece {
    std::shared_ptr<File> file;
    std::uint64_t place;
    std::size_t bytes;
  };

  std::shared_ptr<File> file_;
  std::map<void*, Piece> pieces_;
};

}  // namespace rowanroot
