#include "fast.h"

#include "kept_column.h"

#include <algorithm>
#include <cstring>
#include <limits>
#include <type_traits>

#include "memory.h"
#include "values.h"

namespace rowanroot {
namespace {

std::size_t number(std::uint64_t size) { return static_cast<std::size_t>(size); }

std::size_t rows_of(const KeptFile& file) { return number(file.head().rows); }

bool is_coded(const KeptFile& file) { return file.head().type == KeptType::coded_text; }

std::size_t pages_of(const KeptFile& file) { return (rows_of(file) + kept_page_rows - 1) / kept_page_rows; }

std::uint64_t size_of(const KeptFile& file, std::size_t buffer) {
  if (buffer >= file.head().sizes.size()) throw DamagedFile("another number of buffers");
  return file.head().sizes[buffer];
}

template <class T>
void read_into(const KeptFile& file, std::size_t buffer, T* to, std::size_t count) {
  if (size_of(file, buffer) != count * sizeof(T)) throw DamagedFile("another size");
  file.read(buffer, to);
}

// The part of a text's bytes that begins at a position.
std::string_view text_at(std::string_view bytes, std::size_t at, std::int32_t size) {
  if (size < 0 || static_cast<std::size_t>(size) > bytes.size() - at) throw DamagedFile("another size");
  return bytes.substr(at, static_cast<std::size_t>(size));
}

// Calls work(text) for each of the different texts, in the order of their numbers.
template <class Work>
void each_different(const KeptFile& file, Work work) {
  std::vector<std::int32_t> sizes(number(size_of(file, 1)) / sizeof(std::int32_t));
  read_into(file, 1, sizes.data(), sizes.size());
  std::string bytes(number(size_of(file, 2)), '\0');
  file.read(2, &bytes[0]);
  std::size_t at = 0;
  for (std::int32_t size : sizes) {
    const std::string_view text = text_at(bytes, at, size);
    work(text);
    at += text.size();
  }
}

// Calls work(row, text), or work(row, null) where it is missing, for each row of coded texts.
template <class Work>
void each_coded(const KeptFile& file, Work work) {
  std::vector<std::string> different;
  each_different(file, [&](std::string_view text) { different.emplace_back(text); });
  RowVector<std::int32_t> codes(rows_of(file));
  read_into(file, 0, codes.data(), codes.size());
  for (std::size_t i = 0; i < codes.size(); ++i) {
    if (codes[i] == missing_integer) {
      work(i, nullptr);
      continue;
    }
    if (codes[i] < 1 || static_cast<std::size_t>(codes[i]) > different.size()) throw DamagedFile("another number");
    work(i, &different[static_cast<std::size_t>(codes[i]) - 1]);
  }
}

// The same of texts that are written out.
template <class Work>
void each_written(const KeptFile& file, Work work) {
  if (file.head().type != KeptType::text) throw DamagedFile("another type");
  RowVector<std::int32_t> sizes(rows_of(file));
  read_into(file, 0, sizes.data(), sizes.size());
  RowBytes page;
  std::size_t at = 0;
  for (std::size_t row = 0; row < sizes.size(); ++row) {
    if (row % kept_page_rows == 0) {
      page.resize(number(size_of(file, row / kept_page_rows + 1)));
      file.read(row / kept_page_rows + 1, &page[0]);
      at = 0;
    }
    if (sizes[row] == missing_integer) {
      work(row, nullptr);
      continue;
    }
    const std::string_view text = text_at(page, at, sizes[row]);
    work(row, &text);
    at += text.size();
  }
}

std::vector<RowBytes> write_out(const KeptFile& file) {
  std::vector<RowBytes> pages(pages_of(file));
  each_coded(file, [&](std::size_t row, const std::string* text) {
    if (text) pages[row / kept_page_rows] += *text;
  });
  return pages;
}

void read_sizes_of_coded(const KeptFile& file, std::int32_t* sizes) {
  each_coded(file, [&](std::size_t row, const std::string* text) {
    sizes[row] = text ? static_cast<std::int32_t>(text->size()) : missing_integer;
  });
}

// Where the texts of a page begin. Gives their size in all.
std::uint64_t place_texts(const std::int32_t* sizes, std::size_t count, std::int32_t* starts) {
  std::uint64_t at = 0;
  for (std::size_t i = 0; i < count; ++i) {
    starts[i] = static_cast<std::int32_t>(at);
    if (sizes[i] == missing_integer) continue;
    if (sizes[i] < 0) throw DamagedFile("another size");
    at += static_cast<std::uint64_t>(sizes[i]);
  }
  return at;
}

}  // namespace

KeptColumn::KeptColumn(const std::vector<std::string>& paths) {
  for (const std::string& path : paths) {
    files_.emplace_back(path);
    first_rows_.push_back(rows_);
    rows_ += rows_of(files_.back());
  }
}

bool KeptColumn::is_mostly_coded() const {
  std::size_t coded = 0;
  for (const KeptFile& file : files_) coded += is_coded(file) ? rows_of(file) : 0;
  return 2 * coded >= rows_;
}

template <class T>
void KeptColumn::read_values(T* to, const Workers& workers) const {
  run_pieces(files_.size(), workers, [&](int, std::size_t k) {
    const KeptHead& head = files_[k].head();
    T* const first = to + first_rows_[k];
    const bool is_wide = head.type == KeptType::real, wants_wide = std::is_same<T, double>::value;
    if (head.type >= KeptType::coded_text || (is_wide && !wants_wide)) throw DamagedFile("another type");
    if (is_wide == wants_wide) return read_into(files_[k], 0, first, number(head.rows));
    RowVector<std::int32_t> narrow(number(head.rows));
    read_into(files_[k], 0, narrow.data(), narrow.size());
    for (std::size_t i = 0; i < narrow.size(); ++i)
      first[i] = narrow[i] == missing_integer ? static_cast<T>(missing_real()) : static_cast<T>(narrow[i]);
  });
}

void KeptColumn::read(std::int32_t* to, const Workers& workers) const { read_values(to, workers); }

void KeptColumn::read(double* to, const Workers& workers) const { read_values(to, workers); }

void KeptColumn::read_codes(std::int32_t* to, TextNumbering* all, const Workers& workers) const {
  std::vector<std::vector<std::int32_t>> numbers(files_.size());
  for (std::size_t k = 0; k < files_.size(); ++k) {
    if (is_coded(files_[k]))
      each_different(files_[k], [&](std::string_view text) { numbers[k].push_back(all->number(text)); });
    else
      each_written(files_[k], [&](std::size_t row, const std::string_view* text) {
        to[first_rows_[k] + row] = text ? all->number(*text) : missing_integer;
      });
  }
  run_pieces(files_.size(), workers, [&](int, std::size_t k) {
    if (!is_coded(files_[k])) return;
    std::int32_t* const code = to + first_rows_[k];
    const std::size_t rows = rows_of(files_[k]);
    read_into(files_[k], 0, code, rows);
    for (std::size_t i = 0; i < rows; ++i) {
      if (code[i] == missing_integer) continue;
      if (code[i] < 1 || static_cast<std::size_t>(code[i]) > numbers[k].size()) throw DamagedFile("another number");
      code[i] = numbers[k][static_cast<std::size_t>(code[i]) - 1];
    }
  });
}

std::vector<KeptPage> KeptColumn::pages() const {
  std::vector<KeptPage> pages;
  for (std::size_t k = 0; k < files_.size(); ++k) {
    if (files_[k].head().type < KeptType::coded_text) throw DamagedFile("another type");
    const std::vector<RowBytes> written_out =
        is_coded(files_[k]) ? write_out(files_[k]) : std::vector<RowBytes>();
    for (std::size_t n = 0; n < pages_of(files_[k]); ++n) {
      const std::uint64_t size = is_coded(files_[k]) ? written_out[n].size() : size_of(files_[k], n + 1);
      if (size > static_cast<std::uint64_t>(std::numeric_limits<std::int32_t>::max()))
        throw DamagedFile("another size");
      pages.push_back({first_rows_[k] + n * kept_page_rows, number(size)});
    }
  }
  return pages;
}

void KeptColumn::read_texts(std::int32_t* starts, std::int32_t* sizes, const std::vector<std::uint8_t*>& pages,
                            const Workers& workers) const {
  std::vector<std::size_t> first_page(files_.size(), 0);
  for (std::size_t k = 1; k < files_.size(); ++k) first_page[k] = first_page[k - 1] + pages_of(files_[k - 1]);
  run_pieces(files_.size(), workers, [&](int, std::size_t k) {
    read_texts_of(k, starts + first_rows_[k], sizes + first_rows_[k], pages.data() + first_page[k]);
  });
}

void KeptColumn::read_texts_of(std::size_t k, std::int32_t* starts, std::int32_t* sizes,
                               std::uint8_t* const* pages) const {
  const KeptFile& file = files_[k];
  const std::size_t rows = rows_of(file);
  std::vector<RowBytes> written_out;
  if (is_coded(file)) {
    written_out = write_out(file);
    read_sizes_of_coded(file, sizes);
  } else {
    read_into(file, 0, sizes, rows);
  }
  for (std::size_t n = 0; n < pages_of(file); ++n) {
    const std::size_t first = n * kept_page_rows, count = std::min(rows - first, kept_page_rows);
    const std::uint64_t size = place_texts(sizes + first, count, starts + first);
    if (is_coded(file)) {
      std::copy(written_out[n].begin(), written_out[n].end(), pages[n]);
      continue;
    }
    if (size_of(file, n + 1) != size) throw DamagedFile("another size");
    file.read(n + 1, pages[n]);
  }
}

}  // namespace rowanroot
