#pragma once
// Bytes that are read in pieces, by several threads.

#include <cstddef>
#include <cstdint>
#include <memory>
#include <stdexcept>
#include <string>

namespace rowanroot {

class Input {
 public:
  virtual ~Input() = default;
  virtual std::uint64_t size() const = 0;
  // Reads so many bytes from this position on; throws InputError if they can't be had.
  virtual void read(std::uint64_t first, std::size_t count, char* to) const = 0;
};

// With what the system said, or "changed" if the file has become shorter.
struct InputError : std::runtime_error {
  using std::runtime_error::runtime_error;
};

std::shared_ptr<Input> open_file(const std::string& path);
std::shared_ptr<Input> input_of(std::string bytes);
// All bytes of a file.
std::string content_of_file(const std::string& path);

}  // namespace rowanroot
