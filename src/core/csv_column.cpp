#include "fast.h"

#include "csv_column.h"

#include <algorithm>
#include <limits>

#include "csv_numbers.h"
#include "csv_values.h"
#include "moments.h"
#include "values.h"

namespace rowanroot {
namespace {

// What a text could be, if it is none of the type that was expected of it.
unsigned kinds_of(std::string_view text, char decimal) {
  static const MomentReader iso("");
  std::int32_t whole;
  double number;
  if (read_logical(text, &whole)) return could_be_logical;
  if (read_real(text, decimal, &number)) return could_be_real | (read_integer(text, &whole) ? could_be_integer : 0u);
  if (read_date(text, &number)) return could_be_date;
  Moment moment;
  if (text.size() > 10 && iso.read(text, &moment)) return moment.is_universal ? could_be_moment : could_be_clock;
  return 0;
}

// What a text that is of the type could be.
unsigned kinds_with(CsvType type) {
  switch (type) {
    case CsvType::logical: return could_be_logical;
    case CsvType::integer: return could_be_integer | could_be_real;
    case CsvType::real: return could_be_integer | could_be_real;
    case CsvType::date: return could_be_date;
    default: return could_be_all;
  }
}

}  // namespace

unsigned kinds_of_field(const CsvField& field, char decimal) {
  const std::string_view text = trimmed(field.text());
  return text.empty() && field.quoted ? ~unsigned(has_no_empty_text) : kinds_of(text, decimal);
}

void CsvColumnReader::read(const CsvBatch& batch, std::size_t row) {
  const char decimal = format_.decimal;
  switch (column_.type) {
    case CsvType::logical: return read_values(batch, row, missing_integer, read_logical);
    case CsvType::integer: return read_values(batch, row, missing_integer, read_integer, read_few_whole);
    case CsvType::real:
      return read_values(
          batch, row, missing_real(),
          [=](std::string_view text, double* value) {
            return read_short_real(text, decimal, value) || read_other_real(text, decimal, value);
          },
          [=](const char* at, std::size_t size, double* value) { return read_few_real(at, size, decimal, value); });
    case CsvType::long_integer: return read_values(batch, row, missing_long_integer, read_long_integer);
    case CsvType::date: return read_values(batch, row, missing_real(), read_date);
    case CsvType::time:
      return read_values(batch, row, missing_real(),
                         [this](std::string_view text, double* value) { return read_time(text, value); });
    case CsvType::coded_text: return read_codes(batch, row);
    case CsvType::text: return part_->is_in_piece ? take_texts(batch, row) : read_texts(batch, row);
  }
}

template <class Work>
void CsvColumnReader::each_field(const CsvBatch& batch, Work work) {
  const CsvField* field = batch.fields.data() + in_file_;
  for (std::size_t i = 0; i < batch.rows(); ++i, field += columns_) work(i, *field);
}

// `read_few`, if there is one, reads most of the short fields that are not quoted, and quicker.
template <class T, class Read, class ReadFew>
void CsvColumnReader::read_values(const CsvBatch& batch, std::size_t row, T missing, Read read, ReadFew read_few) {
  T* const to = static_cast<T*>(column_.values) + row;
  unsigned kinds = could_be_all, if_it_fits = kinds_with(column_.type);
  bool may_be_whole = column_.type == CsvType::real && (part_->kinds & could_be_integer);
  each_field(batch, [&](std::size_t i, const CsvField& field) {
    if (usual_marks_ && !may_be_whole && !field.quoted && field.size - 1 < 8 &&
        read_few(field.start, field.size, to + i)) {
      kinds &= if_it_fits;
      return;
    }
    to[i] = missing;
    if (is_missing(field)) return;
    const std::string_view text = trimmed(field.text());
    if (text.empty() && field.quoted) {
      kinds &= ~unsigned(has_no_empty_text);
      return;
    }
    if (!read(text, to + i)) return note_misfit(text, batch.lines[i], row + i);
    std::int32_t whole;
    if (may_be_whole && !read_integer(text, &whole)) {
      may_be_whole = false;
      if_it_fits &= ~unsigned(could_be_integer);
    }
    kinds &= if_it_fits;
  });
  part_->kinds &= kinds;
}

bool CsvColumnReader::read_time(std::string_view text, double* value) {
  static const MomentReader iso("");
  Moment moment;
  if (!iso.read(text, &moment)) return false;
  *value = moment.value;
  part_->kinds &= moment.is_universal ? could_be_moment : could_be_clock;
  return true;
}

void CsvColumnReader::note_misfit(std::string_view text, std::size_t line, std::size_t row) {
  double number;
  if (column_.type == CsvType::integer && part_->reals.size() < most_reals &&
      read_real(text, format_.decimal, &number))
    part_->reals.push_back({row, number});
  if (part_->misfits++ == 0) {
    part_->misfit = std::string(text);
    part_->line = line;
  }
  if (part_->kinds) part_->kinds &= kinds_of(text, format_.decimal);
}

// What texts could be if all of the column were like them.
void CsvColumnReader::note_kinds(const CsvField& field) {
  if (part_->kinds) part_->kinds &= kinds_of_field(field, format_.decimal);
}

// What texts are looked up in is fetched for some rows ahead, before it is needed.
void CsvColumnReader::read_codes(const CsvBatch& batch, std::size_t row) {
  constexpr std::size_t ahead = 16;
  if (numbering_->texts().size() > most_different_texts) return;
  std::int32_t* const to = static_cast<std::int32_t*>(column_.values) + row;
  const CsvField* const fields = batch.fields.data() + in_file_;
  const std::size_t rows = batch.rows();
  hashes_.resize(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    hashes_[i] = TextNumbering::hash_of(fields[i * columns_].text());
    numbering_->fetch(hashes_[i]);
  }
  // The same text often comes again at once.
  std::string_view last;
  std::uint32_t last_hash = 0;
  std::int32_t last_code = 0;
  for (std::size_t i = 0; i < rows; ++i) {
    if (i + ahead < rows) numbering_->fetch_text(hashes_[i + ahead]);
    const CsvField& field = fields[i * columns_];
    if (is_missing(field)) {
      to[i] = missing_integer;
      continue;
    }
    if (!last_code || hashes_[i] != last_hash || field.text() != last) {
      last = field.text();
      last_hash = hashes_[i];
      note_kinds(field);
      last_code = numbering_->number(last, hashes_[i]);
    }
    to[i] = last_code;
  }
}

// Room for the texts of all rows, if those to come are about as long as those before.
void CsvColumnReader::reserve(const CsvBatch& batch) {
  RowBytes& page = part_->page;
  std::size_t more = 0;
  each_field(batch, [&](std::size_t, const CsvField& field) { more += field.size; });
  texts_read_ += batch.rows();
  const std::size_t needed = page.size() + more;
  if (needed <= page.capacity()) return;
  const double expected = static_cast<double>(needed) * static_cast<double>(std::max(rows_, texts_read_)) /
                          static_cast<double>(texts_read_);
  page.reserve(static_cast<std::size_t>(1.02 * expected) + 1024);
}

void CsvColumnReader::read_texts(const CsvBatch& batch, std::size_t row) {
  std::int32_t* const start = static_cast<std::int32_t*>(column_.values) + row;
  std::int32_t* const size = column_.sizes + row;
  reserve(batch);
  each_field(batch, [&](std::size_t i, const CsvField& field) {
    start[i] = 0;
    size[i] = missing_integer;
    if (is_missing(field)) return;
    start[i] = static_cast<std::int32_t>(part_->page.size());
    size[i] = static_cast<std::int32_t>(field.size);
    part_->page.append(field.start, field.size);
    note_kinds(field);
  });
  if (part_->page.size() > static_cast<std::size_t>(std::numeric_limits<std::int32_t>::max()))
    throw CsvError("long_field", batch.lines.back());
}

// Texts stay where they are.
void CsvColumnReader::take_texts(const CsvBatch& batch, std::size_t row) {
  std::int32_t* const start = static_cast<std::int32_t*>(column_.values) + row;
  std::int32_t* const size = column_.sizes + row;
  each_field(batch, [&](std::size_t i, const CsvField& field) {
    const bool is_missing_here = is_missing(field);
    // One that a short record does not have lies nowhere.
    start[i] = is_missing_here || !field.size ? 0 : static_cast<std::int32_t>(field.start - batch.bytes);
    size[i] = is_missing_here ? missing_integer : static_cast<std::int32_t>(field.size);
    if (!is_missing_here) note_kinds(field);
  });
}

}  // namespace rowanroot
