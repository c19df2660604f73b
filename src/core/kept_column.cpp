#include "fast.h"

#include "kept_column.h"

#include <algorithm>
#include <cstring>
#include <limits>
#include <type_traits>

#include "kept_buffers.h"
#include "values.h"

namespace rowanroot {
namespace {

// Calls work(row, text), or work(row, null) where it is missing, for each row of coded texts.
template <class Work>
void each_coded(const KeptFile& file, Work work) {
  const DifferentTexts different(file);
  RowVector<std::int32_t> codes(rows_of(file));
  read_into(file, 0, codes.data(), codes.size());
  for (std::size_t i = 0; i < codes.size(); ++i)
    work(i, codes[i] == missing_integer ? nullptr : &different.of_code(codes[i]));
}

// The number of each of the texts among those of all files. They are looked up all over the memory: what the next ones
// need is fetched meanwhile.
std::vector<std::int32_t> numbers_in(const DifferentTexts& texts, TextNumbering* all) {
  constexpr std::size_t ahead = 16, soon = 8;
  std::vector<std::uint32_t> hashes;
  for (std::string_view text : texts) hashes.push_back(TextNumbering::hash_of(text));
  std::vector<std::int32_t> numbers;
  for (std::string_view text : texts) {
    const std::size_t k = numbers.size();
    if (k + ahead < hashes.size()) all->fetch(hashes[k + ahead]);
    if (k + soon < hashes.size()) all->fetch_text(hashes[k + soon]);
    numbers.push_back(all->number(text, hashes[k]));
  }
  return numbers;
}

// The number that stands in `numbers` for each one, from 1.
void renumber(std::int32_t* code, std::size_t rows, const std::vector<std::int32_t>& numbers) {
  for (std::size_t i = 0; i < rows; ++i) {
    if (code[i] == missing_integer) continue;
    if (code[i] < 1 || static_cast<std::size_t>(code[i]) > numbers.size()) throw DamagedFile("another number");
    code[i] = numbers[static_cast<std::size_t>(code[i]) - 1];
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
  each_coded(file, [&](std::size_t row, const std::string_view* text) {
    if (text) pages[row / kept_page_rows] += *text;
  });
  return pages;
}

void read_sizes_of_coded(const KeptFile& file, std::int32_t* sizes) {
  each_coded(file, [&](std::size_t row, const std::string_view* text) {
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
    T* const first = to + first_rows_[k];
    const std::size_t rows = rows_of(files_[k]);
    const bool is_wide = has_wide_values<T>(files_[k].head()), wants_wide = std::is_same<T, double>::value;
    if (is_wide == wants_wide) return read_into(files_[k], 0, first, rows);
    RowVector<std::int32_t> narrow(rows);
    read_into(files_[k], 0, narrow.data(), rows);
    for (std::size_t i = 0; i < rows; ++i) first[i] = from_narrow<T>(narrow[i]);
  });
}

void KeptColumn::read(std::int32_t* to, const Workers& workers) const { read_values(to, workers); }

void KeptColumn::read(double* to, const Workers& workers) const { read_values(to, workers); }

// Each worker numbers the texts of files that follow each other: put together in that order, the numbers are those that
// one would have given.
void KeptColumn::read_codes(std::int32_t* to, TextNumbering* all, const Workers& workers) const {
  const std::size_t count = files_.size();
  const std::size_t stretches = std::min(count, static_cast<std::size_t>(std::max<int>(workers, 1)));
  std::vector<TextNumbering> own(stretches);
  std::vector<std::vector<std::int32_t>> numbers(count);
  std::vector<std::size_t> stretch_of(count);
  run_pieces(stretches, workers, [&](int, std::size_t stretch) {
    TextNumbering* const numbering = stretch ? &own[stretch] : all;
    for (std::size_t k = count * stretch / stretches; k < count * (stretch + 1) / stretches; ++k) {
      stretch_of[k] = stretch;
      if (is_coded(files_[k])) {
        numbers[k] = numbers_in(DifferentTexts(files_[k]), numbering);
        continue;
      }
      each_written(files_[k], [&](std::size_t row, const std::string_view* text) {
        to[first_rows_[k] + row] = text ? numbering->number(*text) : missing_integer;
      });
    }
  });
  std::vector<std::vector<std::int32_t>> in_all(stretches);
  for (std::size_t stretch = 1; stretch < stretches; ++stretch)
    for (const std::string& text : own[stretch].texts()) in_all[stretch].push_back(all->number(text));
  run_pieces(count, workers, [&](int, std::size_t k) {
    const std::vector<std::int32_t>& of_stretch = in_all[stretch_of[k]];
    if (stretch_of[k])
      for (std::int32_t& number : numbers[k]) number = of_stretch[static_cast<std::size_t>(number) - 1];
    std::int32_t* const code = to + first_rows_[k];
    const std::size_t rows = rows_of(files_[k]);
    if (is_coded(files_[k])) {
      read_into(files_[k], 0, code, rows);
      renumber(code, rows, numbers[k]);
    } else if (stretch_of[k]) {
      renumber(code, rows, of_stretch);
    }
  });
}

MappedBytes KeptColumn::map_values(KeptType type) const {
  if (files_.size() != 1 || files_[0].head().type != type) return {};
  return map_large(files_[0], 0, rows_ * (type == KeptType::real ? sizeof(double) : sizeof(std::int32_t)));
}

MappedBytes KeptColumn::map_codes(std::vector<std::string>* texts) const {
  MappedBytes mapped = map_values(KeptType::coded_text);
  if (!mapped) return mapped;
  const DifferentTexts different(files_[0]);
  const std::uint32_t count = static_cast<std::uint32_t>(different.size());
  const std::int32_t* const codes = reinterpret_cast<const std::int32_t*>(mapped.bytes());
  bool fit = true;
  for (std::size_t i = 0; i < rows_; ++i)
    fit = fit & ((static_cast<std::uint32_t>(codes[i]) - 1 < count) | (codes[i] == missing_integer));
  if (!fit) throw DamagedFile("another number");
  texts->assign(different.begin(), different.end());
  return mapped;
}

std::vector<MappedBytes> KeptColumn::map_pages() const {
  std::vector<MappedBytes> pages;
  for (const KeptFile& file : files_)
    for (std::size_t n = 0; n < pages_of(file); ++n)
      pages.push_back(is_coded(file) ? MappedBytes() : map_large(file, n + 1, number(size_of(file, n + 1))));
  return pages;
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
    if (pages[n]) file.read(n + 1, pages[n]);
  }
}

}  // namespace rowanroot
