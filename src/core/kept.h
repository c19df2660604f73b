#pragma once
// Columns kept in files, to be had back without reading or calculating anything: a small head and the plain values,
// each with a checksum. The files may be thrown away at any time; a damaged one is recognised.

#include <cstdint>
#include <memory>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

#include "input.h"
#include "mapped.h"

namespace rowanroot {

enum class KeptType : std::uint32_t { logical, integer, real, coded_text, text };

struct KeptHead {
  KeptType type = KeptType::real;
  std::uint32_t kinds = 0;  // as CsvFound has them, of a column that was read
  std::uint64_t rows = 0;
  std::string note;  // what else belongs to the column
  std::vector<std::uint64_t> sizes;  // of the buffers, in bytes
};

// Logicals and integers are 32 bits wide and real numbers 64, in one buffer. Coded texts have their codes, from 1, then
// the sizes of the different texts, of 32 bits each, and their bytes. Other texts have their sizes, missing_integer for
// a missing one, then the bytes of so many rows each.
constexpr std::size_t kept_page_rows = std::size_t(1) << 16;

struct DamagedFile : std::runtime_error {
  using std::runtime_error::runtime_error;
};

using KeptBuffer = std::pair<const void*, std::size_t>;

// Throws InputError with the system's message; then there is no such file, or the one that was there before.
void write_kept(const std::string& path, KeptHead head, const std::vector<KeptBuffer>& buffers);

class KeptFile {
 public:
  // Throws InputError and DamagedFile.
  explicit KeptFile(const std::string& path);

  const KeptHead& head() const { return head_; }
  void read(std::size_t buffer, void* to) const;
  // The bytes where they lie in the file; nothing where that can't be done.
  MappedBytes map(std::size_t buffer) const;

 private:
  std::string path_;
  std::shared_ptr<Input> input_;
  KeptHead head_;
  std::vector<std::uint64_t> sums_, places_;
};

}  // namespace rowanroot
