#include "fast.h"

#include "csv_batches.h"

#include "memory.h"

namespace rowanroot {
namespace {

constexpr std::size_t batch_rows = 256;

// A record with fewer or more fields than columns is an error, unless the format allows it.
void fit_fields(const CsvFile& file, std::size_t before, CsvBatch* batch) {
  const std::size_t columns = file.names().size(), found = batch->fields.size() - before;
  if (found == columns) return;
  const bool is_allowed = found < columns ? file.format().allows_short : file.format().allows_long;
  if (!is_allowed)
    throw CsvError(found > columns ? "too_many_fields" : "too_few_fields", batch->lines.back(), found, columns);
  batch->fields.resize(before + columns, CsvField{"", 0, false});
}

}  // namespace

void each_batch(const CsvFile& file, const CsvPiece& piece, std::size_t most_rows,
                const std::function<void(const CsvBatch&, std::size_t)>& visit) {
  const std::size_t bytes = static_cast<std::size_t>(piece.next - piece.first);
  Buffer<char> buffer(bytes);
  file.input().read(piece.first, bytes, buffer.data());
  CsvRecords records(buffer.data(), buffer.data() + bytes, true, file.format());
  CsvBatch batch;
  std::size_t done = 0;
  while (done < most_rows && records.find_record(file.skips_blank_lines())) {
    const std::size_t before = batch.fields.size();
    batch.lines.push_back(records.line());
    records.read(&batch.fields);
    fit_fields(file, before, &batch);
    if (batch.rows() < batch_rows) continue;
    visit(batch, done);
    done += batch.rows();
    batch.fields.clear();
    batch.lines.clear();
  }
  if (batch.rows()) visit(batch, done);
}

std::vector<CsvPlace> all_places(const std::vector<std::shared_ptr<CsvFile>>& files) {
  std::vector<CsvPlace> places;
  std::size_t row = 0;
  for (std::size_t f = 0; f < files.size(); ++f) {
    for (const CsvPiece& piece : files[f]->pieces()) places.push_back({f, piece, row + piece.row});
    row += files[f]->rows();
  }
  return places;
}

}  // namespace rowanroot
