#pragma once
// A column of the rows of several files of the store (kept.h), one after the other.

#include <cstdint>
#include <string>
#include <vector>

#include "kept.h"
#include "rounds.h"
#include "text_numbering.h"

namespace rowanroot {

// The bytes of the texts of some rows.
struct KeptPage {
  std::size_t first_row, size;
};

// All that reads throws InputError, and DamagedFile where a file does not match its checksum.
class KeptColumn {
 public:
  explicit KeptColumn(const std::vector<std::string>& paths);

  std::size_t rows() const { return rows_; }
  // What is few in all files may be many in one of them.
  bool is_mostly_coded() const;

  // Where nothing is known, logicals stand for values of any type; integers may be wanted as real numbers.
  void read(std::int32_t* to, const Workers& workers) const;
  void read(double* to, const Workers& workers) const;
  // The number of each row's text; missing_integer where there is none. Every file has numbered its texts by itself, or
  // has a text for each row.
  void read_codes(std::int32_t* to, TextNumbering* all, const Workers& workers) const;
  // The values where they lie, of this type; nothing if they are not all in one file, or not large. Those of coded
  // texts are numbers of the different `texts`, from 1.
  MappedBytes map_values(KeptType type) const;
  MappedBytes map_codes(std::vector<std::string>* texts) const;
  // Texts with their bytes: where each begins in its page, and its size. Coded ones are written out. Bytes of pages
  // that are mapped need not be read: they have no address.
  std::vector<KeptPage> pages() const;
  std::vector<MappedBytes> map_pages() const;
  void read_texts(std::int32_t* starts, std::int32_t* sizes, const std::vector<std::uint8_t*>& pages,
                  const Workers& workers) const;

  // The same of some rows, from 0, in ascending order, some perhaps more than once (kept_rows.cpp).
  void pick(const std::int32_t* rows, std::size_t count, std::int32_t* to, const Workers& workers) const;
  void pick(const std::int32_t* rows, std::size_t count, double* to, const Workers& workers) const;
  // The size of each row's text, or missing_integer, and the bytes of those in each file.
  std::vector<std::string> pick_texts(const std::int32_t* rows, std::size_t count, std::int32_t* sizes,
                                      const Workers& workers) const;

 private:
  template <class T>
  void read_values(T* to, const Workers& workers) const;
  template <class T>
  void pick_values(const std::int32_t* rows, std::size_t count, T* to, const Workers& workers) const;
  template <class Work>
  void each_file_with(const std::int32_t* rows, std::size_t count, const Workers& workers, Work work) const;
  void read_texts_of(std::size_t file, std::int32_t* starts, std::int32_t* sizes, std::uint8_t* const* pages) const;

  std::vector<KeptFile> files_;
  std::vector<std::size_t> first_rows_;
  std::size_t rows_ = 0;
};

}  // namespace rowanroot
