#pragma once
// What the buffers of a kept file hold.

#include <cstdint>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "kept.h"
#include "memory.h"
#include "values.h"

namespace rowanroot {

inline std::size_t number(std::uint64_t size) { return static_cast<std::size_t>(size); }

inline std::size_t rows_of(const KeptFile& file) { return number(file.head().rows); }

inline bool is_coded(const KeptFile& file) { return file.head().type == KeptType::coded_text; }

inline std::size_t pages_of(const KeptFile& file) { return (rows_of(file) + kept_page_rows - 1) / kept_page_rows; }

inline std::uint64_t size_of(const KeptFile& file, std::size_t buffer) {
  if (buffer >= file.head().sizes.size()) throw DamagedFile("another number of buffers");
  return file.head().sizes[buffer];
}

template <class T>
void read_into(const KeptFile& file, std::size_t buffer, T* to, std::size_t count) {
  if (size_of(file, buffer) != count * sizeof(T)) throw DamagedFile("another size");
  file.read(buffer, to);
}

// Whether a file's values are wide, where T is wanted: integers can be real numbers, but not the other way.
template <class T>
bool has_wide_values(const KeptHead& head) {
  const bool is_wide = head.type == KeptType::real;
  if (head.type >= KeptType::coded_text || (is_wide && !std::is_same<T, double>::value))
    throw DamagedFile("another type");
  return is_wide;
}

template <class T>
T from_narrow(std::int32_t value) {
  const bool is_missing_real = std::is_same<T, double>::value && value == missing_integer;
  return is_missing_real ? static_cast<T>(missing_real()) : static_cast<T>(value);
}

// The part of a text's bytes that begins at a position.
inline std::string_view text_at(std::string_view bytes, std::size_t at, std::int32_t size) {
  if (size < 0 || static_cast<std::size_t>(size) > bytes.size() - at) throw DamagedFile("another size");
  return bytes.substr(at, static_cast<std::size_t>(size));
}

// The different texts of a file, in the order of their numbers.
class DifferentTexts {
 public:
  explicit DifferentTexts(const KeptFile& file)
      : bytes_(number(size_of(file, 2)), '\0'), texts_(number(size_of(file, 1)) / sizeof(std::int32_t)) {
    std::vector<std::int32_t> sizes(texts_.size());
    read_into(file, 1, sizes.data(), sizes.size());
    file.read(2, &bytes_[0]);
    std::size_t at = 0;
    for (std::size_t k = 0; k < sizes.size(); ++k) {
      texts_[k] = text_at(bytes_, at, sizes[k]);
      at += texts_[k].size();
    }
  }
  DifferentTexts(const DifferentTexts&) = delete;
  DifferentTexts& operator=(const DifferentTexts&) = delete;

  std::size_t size() const { return texts_.size(); }
  // The text of a row's number, which must be one of these.
  const std::string_view& of_code(std::int32_t code) const {
    if (code < 1 || static_cast<std::size_t>(code) > texts_.size()) throw DamagedFile("another number");
    return texts_[static_cast<std::size_t>(code) - 1];
  }
  std::vector<std::string_view>::const_iterator begin() const { return texts_.begin(); }
  std::vector<std::string_view>::const_iterator end() const { return texts_.end(); }

 private:
  std::string bytes_;
  std::vector<std::string_view> texts_;
};

// Smaller buffers are copied sooner than they are mapped.
constexpr std::size_t least_mapped = std::size_t(1) << 18;

// Nothing if there are few bytes, or if they can't be mapped.
inline MappedBytes map_large(const KeptFile& file, std::size_t buffer, std::size_t bytes) {
  if (size_of(file, buffer) != bytes) throw DamagedFile("another size");
  return bytes < least_mapped ? MappedBytes() : file.map(buffer);
}

// The values of a buffer, where they lie or copied.
template <class T>
class KeptValues {
 public:
  KeptValues(const KeptFile& file, std::size_t buffer, std::size_t count)
      : mapped_(map_large(file, buffer, count * sizeof(T))), copied_(mapped_ ? 0 : count) {
    if (!mapped_) file.read(buffer, copied_.data());
  }
  const T* data() const { return mapped_ ? reinterpret_cast<const T*>(mapped_.bytes()) : copied_.data(); }
  const T& operator[](std::size_t i) const { return data()[i]; }

 private:
  MappedBytes mapped_;
  RowVector<T> copied_;
};

}  // namespace rowanroot
