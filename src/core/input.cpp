#include "input.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace rowanroot {
namespace {

class FileInput : public Input {
 public:
  explicit FileInput(const std::string& path) : file_(::open(path.c_str(), O_RDONLY | O_CLOEXEC)) {
    struct stat about;
    if (file_ < 0 || ::fstat(file_, &about) != 0) {
      const std::string reason = std::strerror(errno);
      if (file_ >= 0) ::close(file_);
      throw InputError(reason);
    }
    size_ = static_cast<std::uint64_t>(about.st_size);
  }
  ~FileInput() override { ::close(file_); }

  std::uint64_t size() const override { return size_; }

  // The file is not mapped: of one that becomes shorter meanwhile, the system would end the process.
  void read(std::uint64_t first, std::size_t count, char* to) const override {
    while (count > 0) {
      const ssize_t found = ::pread(file_, to, count, static_cast<off_t>(first));
      if (found < 0 && errno == EINTR) continue;
      if (found < 0) throw InputError(std::strerror(errno));
      if (found == 0) throw InputError("changed");
      first += static_cast<std::uint64_t>(found);
      to += found;
      count -= static_cast<std::size_t>(found);
    }
  }

 private:
  const int file_;
  std::uint64_t size_ = 0;
};

class BytesInput : public Input {
 public:
  explicit BytesInput(std::string bytes) : bytes_(std::move(bytes)) {}
  std::uint64_t size() const override { return bytes_.size(); }
  void read(std::uint64_t first, std::size_t count, char* to) const override {
    if (first + count > bytes_.size()) throw InputError("changed");
    std::memcpy(to, bytes_.data() + first, count);
  }

 private:
  const std::string bytes_;
};

}  // namespace

std::shared_ptr<Input> open_file(const std::string& path) { return std::make_shared<FileInput>(path); }
std::shared_ptr<Input> input_of(std::string bytes) { return std::make_shared<BytesInput>(std::move(bytes)); }

std::string content_of_file(const std::string& path) {
  const auto input = open_file(path);
  std::string bytes(static_cast<std::size_t>(input->size()), '\0');
  input->read(0, bytes.size(), &bytes[0]);
  return bytes;
}

}  // namespace rowanroot
