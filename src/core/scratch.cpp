#include "scratch.h"

#include <cerrno>
#include <cstring>

#ifdef __linux__
#include <fcntl.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#endif

namespace rowanroot {

#ifdef __linux__

// One file that grows, and has holes where memory was given back.
class Scratch::File {
 public:
  explicit File(const std::string& folder) : folder_(folder), file_(open_nameless(folder)), error_(errno) {}
  ~File() { if (file_ >= 0) ::close(file_); }
  File(const File&) = delete;
  File& operator=(const File&) = delete;

  const std::string& folder() const { return folder_; }

  // Gives 0, or the system's error.
  int reserve(std::size_t bytes, std::uint64_t* place) {
    if (file_ < 0) return error_;
    *place = end_;
    int error;
    do error = ::posix_fallocate(file_, static_cast<off_t>(end_), static_cast<off_t>(bytes));
    while (error == EINTR);
    if (error) give_back(end_, bytes);
    else end_ += bytes;
    return error;
  }

  void give_back(std::uint64_t place, std::size_t bytes) {
    if (!is_shared_) {
      ::fallocate(file_, FALLOC_FL_PUNCH_HOLE | FALLOC_FL_KEEP_SIZE, static_cast<off_t>(place),
                  static_cast<off_t>(bytes));
    }
  }

  void* map(std::uint64_t place, std::size_t bytes, void* at) const {
    const int kind = at ? MAP_PRIVATE | MAP_FIXED : MAP_SHARED;
    return ::mmap(at, bytes, PROT_READ | PROT_WRITE, kind, file_, static_cast<off_t>(place));
  }

  // Another process has the file, too.
  void share() { is_shared_ = true; }

 private:
  // A file without a name, or one whose name is taken away at once where the file system has no such files; below 0 if
  // there can be none.
  static int open_nameless(const std::string& folder) {
    ::mkdir(folder.c_str(), 0777);
    const int file = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (file >= 0 || (errno != EOPNOTSUPP && errno != EISDIR)) return file;
    std::string name = folder + "/memory-XXXXXX";
    const int named = ::mkostemp(&name[0], O_CLOEXEC);
    if (named >= 0) ::unlink(name.c_str());
    return named;
  }

  const std::string folder_;
  const int file_, error_;
  std::uint64_t end_ = 0;
  bool is_shared_ = false;
};

void* Scratch::map(const std::string& folder, std::size_t bytes, std::string* problem) {
  // Where nothing is in use, the file begins anew.
  if (!file_ || file_->folder() != folder || pieces_.empty()) file_ = std::make_shared<File>(folder);
  std::uint64_t place = 0;
  int error = file_->reserve(bytes, &place);
  void* memory = nullptr;
  if (!error) {
    memory = file_->map(place, bytes, nullptr);
    if (memory == MAP_FAILED) {
      error = errno;
      file_->give_back(place, bytes);
    }
  }
  if (error) {
    *problem = std::strerror(error);
    return nullptr;
  }
  pieces_[memory] = {file_, place, bytes};
  return memory;
}

void Scratch::unmap(void* memory) {
  const auto found = pieces_.find(memory);
  ::munmap(memory, found->second.bytes);
  found->second.file->give_back(found->second.place, found->second.bytes);
  pieces_.erase(found);
}

void Scratch::keep_apart() {
  for (const auto& [memory, piece] : pieces_) {
    piece.file->share();
    piece.file->map(piece.place, piece.bytes, memory);
  }
  file_ = nullptr;
}

#else

class Scratch::File {};

void* Scratch::map(const std::string&, std::size_t, std::string* problem) {
  *problem = "this system has no memory of files";
  return nullptr;
}

void Scratch::unmap(void*) {}

void Scratch::keep_apart() {}

#endif

}  // namespace rowanroot
