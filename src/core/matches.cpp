#include "matches.h"

#include <algorithm>

#include "values.h"

namespace rowanroot {

Matches::Matches(const std::int32_t* keys, std::size_t rows, const std::int32_t* table, std::size_t table_rows)
    : keys_(keys), table_(table), rows_(rows), table_rows_(table_rows), by_number_(table_rows) {
  std::int32_t last = 0;
  for (std::size_t i = 0; i < table_rows; ++i) last = std::max(last, table[i]);
  starts_.assign(static_cast<std::size_t>(last) + 2, 0);
  for (std::size_t i = 0; i < table_rows; ++i)
    if (table[i] > 0) ++starts_[static_cast<std::size_t>(table[i]) + 1];
  for (std::size_t k = 1; k < starts_.size(); ++k) starts_[k] += starts_[k - 1];
  std::vector<std::size_t> next(starts_.begin(), starts_.end() - 1);
  for (std::size_t i = 0; i < table_rows; ++i)
    if (table[i] > 0) by_number_[next[static_cast<std::size_t>(table[i])]++] = static_cast<std::int32_t>(i) + 1;
  for (std::size_t row = 0; row < rows; ++row) {
    const std::size_t found = count(row);
    pairs_ += found;
    unmatched_ += found == 0;
    if (found > 1 && several_++ == 0) first_of_several_ = row;
  }
}

void Matches::fill(bool unmatched_stay, std::int32_t* own, std::int32_t* theirs) const {
  std::size_t at = 0;
  for (std::size_t row = 0; row < rows_; ++row) {
    const std::size_t found = count(row);
    for (std::size_t k = 0; k < found; ++k, ++at) {
      if (own) own[at] = static_cast<std::int32_t>(row);
      theirs[at] = by_number_[starts_[static_cast<std::size_t>(keys_[row])] + k];
    }
    if (found || !unmatched_stay) continue;
    if (own) own[at] = static_cast<std::int32_t>(row);
    theirs[at++] = missing_integer;
  }
}

std::vector<std::int32_t> Matches::partners(std::size_t row) const {
  std::vector<std::int32_t> found;
  for (std::size_t k = 0; k < count(row); ++k)
    found.push_back(by_number_[starts_[static_cast<std::size_t>(keys_[row])] + k]);
  return found;
}

std::vector<std::int32_t> Matches::left() const {
  std::vector<char> has_partner(starts_.size(), 0);
  for (std::size_t row = 0; row < rows_; ++row)
    if (count(row)) has_partner[static_cast<std::size_t>(keys_[row])] = 1;
  std::vector<std::int32_t> rows;
  for (std::size_t i = 0; i < table_rows_; ++i)
    if (table_[i] <= 0 || !has_partner[static_cast<std::size_t>(table_[i])])
      rows.push_back(static_cast<std::int32_t>(i) + 1);
  return rows;
}

void pair_numbers(const std::int32_t* first, const std::int32_t* second, std::size_t rows, std::int32_t count,
                  double* numbers) {
  for (std::size_t i = 0; i < rows; ++i)
    numbers[i] = first[i] == missing_integer || second[i] == missing_integer
                     ? missing_real()
                     : static_cast<double>(first[i]) * count + static_cast<double>(second[i]);
}

}  // namespace rowanroot
