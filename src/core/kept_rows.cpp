#include "fast.h"

#include <algorithm>
#include <type_traits>

#include "kept_buffers.h"
#include "kept_column.h"
#include "values.h"

namespace rowanroot {
namespace {

// Calls work(k, text), or work(k, null) where it is missing, for each of these rows of a file, in ascending order.
template <class Work>
void each_picked(const KeptFile& file, const std::int32_t* rows, std::size_t count, std::size_t first_row, Work work) {
  constexpr const std::string_view* none = nullptr;
  const auto row_at = [&](std::size_t k) { return static_cast<std::size_t>(rows[k]) - first_row; };
  if (is_coded(file)) {
    const DifferentTexts different(file);
    const KeptValues<std::int32_t> codes(file, 0, rows_of(file));
    for (std::size_t k = 0; k < count; ++k) {
      const std::int32_t code = codes[row_at(k)];
      work(k, code == missing_integer ? none : &different.of_code(code));
    }
    return;
  }
  if (file.head().type != KeptType::text) throw DamagedFile("another type");
  const KeptValues<std::int32_t> sizes(file, 0, rows_of(file));
  for (std::size_t k = 0; k < count;) {
    const std::size_t page = row_at(k) / kept_page_rows;
    const std::size_t size = number(size_of(file, page + 1));
    const KeptValues<char> bytes(file, page + 1, size);
    std::size_t at = 0;
    for (std::size_t row = page * kept_page_rows; k < count && row_at(k) / kept_page_rows == page; ++k) {
      for (; row < row_at(k); ++row)
        if (sizes[row] != missing_integer) at += text_at({bytes.data(), size}, at, sizes[row]).size();
      if (sizes[row] == missing_integer) {
        work(k, none);
      } else {
        const std::string_view text = text_at({bytes.data(), size}, at, sizes[row]);
        work(k, &text);
      }
    }
  }
}

}  // namespace

// Calls work(file, first, last) for each file that has some of the rows, those from `first` to `last`.
template <class Work>
void KeptColumn::each_file_with(const std::int32_t* rows, std::size_t count, const Workers& workers,
                                Work work) const {
  run_pieces(files_.size(), workers, [&](int, std::size_t k) {
    const auto place = [&](std::size_t row) {
      return static_cast<std::size_t>(std::partition_point(rows, rows + count, [row](std::int32_t one) {
        return static_cast<std::size_t>(one) < row;
      }) - rows);
    };
    const std::size_t first = place(first_rows_[k]), last = place(first_rows_[k] + rows_of(files_[k]));
    if (first < last) work(k, first, last);
  });
}

template <class T>
void KeptColumn::pick_values(const std::int32_t* rows, std::size_t count, T* to, const Workers& workers) const {
  each_file_with(rows, count, workers, [&](std::size_t k, std::size_t first, std::size_t last) {
    if (has_wide_values<T>(files_[k].head())) {
      const KeptValues<double> values(files_[k], 0, rows_of(files_[k]));
      for (std::size_t i = first; i < last; ++i)
        to[i] = static_cast<T>(values[static_cast<std::size_t>(rows[i]) - first_rows_[k]]);
      return;
    }
    const KeptValues<std::int32_t> values(files_[k], 0, rows_of(files_[k]));
    for (std::size_t i = first; i < last; ++i)
      to[i] = from_narrow<T>(values[static_cast<std::size_t>(rows[i]) - first_rows_[k]]);
  });
}

void KeptColumn::pick(const std::int32_t* rows, std::size_t count, std::int32_t* to, const Workers& workers) const {
  pick_values(rows, count, to, workers);
}

void KeptColumn::pick(const std::int32_t* rows, std::size_t count, double* to, const Workers& workers) const {
  pick_values(rows, count, to, workers);
}

std::vector<std::string> KeptColumn::pick_texts(const std::int32_t* rows, std::size_t count, std::int32_t* sizes,
                                                const Workers& workers) const {
  std::vector<std::string> bytes(files_.size());
  each_file_with(rows, count, workers, [&](std::size_t k, std::size_t first, std::size_t last) {
    const auto take = [&](std::size_t i, const std::string_view* text) {
      sizes[first + i] = text ? static_cast<std::int32_t>(text->size()) : missing_integer;
      if (text) bytes[k] += *text;
    };
    each_picked(files_[k], rows + first, last - first, first_rows_[k], take);
  });
  return bytes;
}

}  // namespace rowanroot
