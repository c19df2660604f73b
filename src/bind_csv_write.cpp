// R vectors as a CSV file.

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <future>
#include <memory>
#include <numeric>
#include <stdexcept>
#include <vector>

#include "bind.h"
#include "csv_splice.h"
#include "csv_write.h"
#include "input.h"
#include "later.h"
#include "rounds.h"
#include "written_column.h"

namespace {

using namespace rowanroot;

// Rows of a table that are written together: they are copied together too.
constexpr R_xlen_t written_together = 1 << 13;

constexpr std::size_t nowhere = static_cast<std::size_t>(-1);

std::size_t chunks_of(double rows) {
  return (static_cast<std::size_t>(rows) + written_together - 1) / written_together;
}

// A file that has some of the columns already, or some of the rows, as text.
struct Copied {
  std::shared_ptr<const Input> input;
  std::vector<double> places;  // where each chunk of rows begins, and where the last ends
  std::size_t fields = 0;
  std::vector<double> rows;  // of each part of the file
  std::vector<int> from;     // for each part to be written the one of the file that it is copied from, from 1, or 0

  // The chunk that each part of the file begins with, from 0.
  std::vector<std::size_t> first_chunks() const {
    std::vector<std::size_t> first(1, 0);
    for (double of_part : rows) first.push_back(first.back() + chunks_of(of_part));
    return first;
  }

  // The bytes of a chunk, in `bytes`. Gives their number.
  std::size_t read(std::size_t chunk, std::string* bytes) const {
    const double begin = places.at(chunk), end = places.at(chunk + 1);
    const std::size_t size = static_cast<std::size_t>(end - begin);
    if (bytes->size() < size) bytes->resize(size);
    input->read(static_cast<std::uint64_t>(begin), size, &(*bytes)[0]);
    return size;
  }
};

std::unique_ptr<Copied> copied_from(const Rcpp::List& given) {
  if (given.size() == 0) return nullptr;
  auto copied = std::make_unique<Copied>();
  copied->input = open_file(Rcpp::as<std::string>(given["path"]));
  copied->places = Rcpp::as<std::vector<double>>(given["places"]);
  copied->fields = static_cast<std::size_t>(Rcpp::as<int>(given["fields"]));
  copied->rows = Rcpp::as<std::vector<double>>(given["rows"]);
  copied->from = Rcpp::as<std::vector<int>>(given["from"]);
  return copied;
}

// Rows of the columns, from `first` to before `last`, some of whose fields may be those of the chunk `copied` of the
// other file; or all of that chunk.
struct Chunk {
  R_xlen_t first = 0, last = 0;
  std::size_t copied = nowhere;
  bool is_whole = false;
};

// No chunk has rows of two parts. The columns have the rows of those parts that are not copied as a whole.
std::vector<Chunk> chunks_to_write(const std::vector<double>& part_rows, const Copied* copied, bool copies_fields) {
  std::vector<Chunk> chunks;
  std::vector<std::size_t> first_chunks;
  if (copied) first_chunks = copied->first_chunks();
  R_xlen_t row = 0;
  for (std::size_t part = 0; part < part_rows.size(); ++part) {
    const int from = copied ? copied->from.at(part) : 0;
    const bool is_whole = from && !copies_fields;
    const std::size_t first = from ? first_chunks.at(static_cast<std::size_t>(from) - 1) : nowhere;
    const R_xlen_t end = row + (is_whole ? 0 : static_cast<R_xlen_t>(part_rows[part]));
    for (std::size_t k = 0; k < chunks_of(part_rows[part]); ++k) {
      Chunk chunk{row, std::min(row + written_together, end), from ? first + k : nowhere, is_whole};
      row = chunk.last;
      chunks.push_back(chunk);
    }
  }
  return chunks;
}

// Writes rows of a table. One for each thread. A column is a vector, or the number of a field, from 1, to copy.
class CsvWriter {
 public:
  CsvWriter(const Rcpp::List& table, const Copied* copied, const Rcpp::IntegerVector& fields, char separator)
      : separator_(separator), copied_(copied) {
    for (R_xlen_t k = 0; k < table.size(); ++k) {
      SEXP values = table[k];
      columns_.push_back(fields[k] > 0 ? Column(TYPEOF(values)) : Column(values));
      if (fields[k] > 0) columns_.back().field = static_cast<std::size_t>(fields[k]);
      columns_.back().is_date = Rf_inherits(values, "Date");
    }
    reals_.resize(columns_.size() * taken_together);
    wholes_.resize(reals_.size());
    // Fields that stand side by side in both files are copied together.
    for (std::size_t k = 0; k < columns_.size(); ++k) {
      std::size_t last = k;
      while (columns_[k].field && last + 1 < columns_.size() && columns_[last + 1].field == columns_[last].field + 1)
        ++last;
      columns_[k].last = last;
    }
    for (std::size_t k = 0; k < columns_.size(); k = columns_[k].last + 1) {
      const std::size_t behind = columns_[columns_[k].last].field + 1;
      if (columns_[k].field)
        cut_ = std::max({cut_, columns_[k].field, copied && behind <= copied->fields ? behind : 0});
    }
  }

  bool is_for_threads() const {
    return std::all_of(columns_.begin(), columns_.end(),
                       [](const Column& column) { return column.is_for_threads(); });
  }

  void write(const Chunk& chunk, WrittenText* to) {
    std::unique_ptr<WrittenRecords> records;
    if (chunk.copied != nowhere) {
      const std::size_t size = copied_->read(chunk.copied, &bytes_);
      records =
          std::make_unique<WrittenRecords>(bytes_.data(), bytes_.data() + size, separator_, copied_->fields, cut_);
      to->room(size + size / 4);
    }
    for (R_xlen_t first = chunk.first; first < chunk.last; first += text_batch)
      write_batch(first, std::min(text_batch, chunk.last - first), records.get(), to);
    if (records && !records->at_end()) throw OtherFile();
  }

 private:
  struct Column : WrittenColumn {
    using WrittenColumn::WrittenColumn;
    std::size_t field = 0, last = 0;
    bool is_date = false;
  };

  void write_batch(R_xlen_t first, R_xlen_t count, WrittenRecords* records, WrittenText* to) {
    // A value for each column and a sign behind each; texts are asked for besides.
    const std::size_t least = columns_.size() * (most_bytes_of_value + 1) + 1;
    for (Column& column : columns_) column.read(first, count);
    for (R_xlen_t row = 0; row < count; ++row) {
      if (row % taken_together == 0) take(first + row, std::min(taken_together, count - row));
      if (records) records->next();
      char* at = to->room(least);
      for (std::size_t k = 0; k < columns_.size(); ++k) {
        if (k) *at++ = separator_;
        const Column& column = columns_[k];
        if (column.field) at = copy_fields(column, *records, at, least, to);
        else if (column.type == STRSXP) at = put_text(column.texts[static_cast<std::size_t>(row)], at, least, to);
        else at = put_value(k, row, at);
        k = column.last;
      }
      *at = '\n';
      to->end(at + 1);
    }
  }

  char* copy_fields(const Column& column, const WrittenRecords& records, char* at, std::size_t least,
                    WrittenText* to) const {
    to->end(at);
    records.copy(column.field - 1, columns_[column.last].field - 1, to);
    return to->room(least);
  }

  char* put_text(const TextBytes& text, char* at, std::size_t least, WrittenText* to) const {
    if (!text.bytes) return at;
    const std::string_view bytes(text.bytes, static_cast<std::size_t>(text.size));
    return put_field(bytes, separator_, to->room(at, most_bytes_of(bytes) + least));
  }

  // Values of a few rows side by side: those of many columns, each from elsewhere, would drive each other out of the
  // cache.
  void take(R_xlen_t first, R_xlen_t count) {
    for (std::size_t k = 0; k < columns_.size(); ++k) {
      const Column& column = columns_[k];
      if (column.field || column.type == STRSXP) continue;
      if (column.type == REALSXP) take_some(static_cast<const double*>(column.values) + first, count, k, &reals_);
      else take_some(static_cast<const int*>(column.values) + first, count, k, &wholes_);
    }
  }

  // The compiler knows how many there are, but for the last.
  template <class T>
  static void take_some(const T* from, R_xlen_t count, std::size_t column, std::vector<T>* to) {
    T* const at = to->data() + column * taken_together;
    if (count == taken_together) std::memcpy(at, from, taken_together * sizeof(T));
    else std::copy_n(from, count, at);
  }

  char* put_value(std::size_t k, R_xlen_t row, char* to) const {
    const std::size_t at = k * taken_together + static_cast<std::size_t>(row % taken_together);
    switch (columns_[k].type) {
      case LGLSXP: return put_field(wholes_[at], true, to);
      case INTSXP: return put_field(wholes_[at], false, to);
      default: return columns_[k].is_date ? put_date_field(reals_[at], to) : put_field(reals_[at], to);
    }
  }

  static constexpr R_xlen_t taken_together = 8;

  const char separator_;
  const Copied* const copied_;
  std::string bytes_;
  std::size_t cut_ = 0;
  std::vector<Column> columns_;
  std::vector<double> reals_;
  std::vector<int> wholes_;
};

// Makes the system write to the disk what it has of the file already: what is left to flush at the end is little.
void begin_to_flush(std::FILE* file) {
#ifdef __linux__
  ::sync_file_range(::fileno(file), 0, 0, SYNC_FILE_RANGE_WRITE);
#else
  static_cast<void>(file);
#endif
}

// A file that chunks of text are written to, and where the next chunk of each begins.
class ChunkFile {
 public:
  ChunkFile(const std::string& path, bool append)
      : file_(std::fopen(path.c_str(), append ? "ab" : "wb"), std::fclose) {}

  bool is_open() const { return file_ != nullptr; }

  // Of what is written; nothing is written any more.
  const std::vector<double>& places() {
    if (writing_.valid()) writing_.wait();
    return places_;
  }

  // False if the system refuses; errno has the reason.
  template <class Text>
  bool put(const Text& text) {
    if (std::fwrite(text.data(), 1, text.size(), file_.get()) != text.size()) return false;
    if (!text.empty()) places_.push_back((places_.empty() ? 0 : places_.back()) + static_cast<double>(text.size()));
    return true;
  }

  // Writes while the next chunks are made, once those before are written, of which it gives what the system said.
  std::string put_later(std::vector<WrittenText>* texts) {
    const std::string problem = finished();
    if (!problem.empty()) return problem;
    before_.resize(texts->size());
    texts->swap(before_);
    writing_ = work_later([this] {
      for (WrittenText& text : before_) {
        if (!put(text)) return std::string(std::strerror(errno));
        text.clear();
      }
      begin_to_flush(file_.get());
      return std::string();
    });
    return "";
  }

  // Writes a chunk that is copied as a whole, after all that is to be written before. Gives what the system said.
  std::string copy(const Copied& copied, std::size_t chunk) {
    const std::string problem = finished();
    if (!problem.empty()) return problem;
    bytes_.resize(copied.read(chunk, &bytes_));
    if (!put(bytes_)) return std::strerror(errno);
    unflushed_ += bytes_.size();
    if (unflushed_ > flushed_together) {
      begin_to_flush(file_.get());
      unflushed_ = 0;
    }
    return "";
  }

  std::string finished() { return writing_.valid() ? writing_.get() : ""; }

  std::string flushed() {
    const std::string problem = finished();
    if (!problem.empty()) return problem;
    return std::fflush(file_.get()) != 0 ? std::strerror(errno) : "";
  }

 private:
  static constexpr std::size_t flushed_together = std::size_t(1) << 26;

  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file_;
  std::string bytes_;
  std::size_t unflushed_ = 0;
  std::vector<double> places_;
  std::vector<WrittenText> before_;
  std::future<std::string> writing_;
};

WrittenText csv_header(const Rcpp::CharacterVector& names, char separator) {
  WrittenText header;
  for (R_xlen_t k = 0; k < names.size(); ++k) {
    const std::string_view name(names[k]);
    char* at = header.room(most_bytes_of(name) + 1);
    if (k) *at++ = separator;
    header.end(put_field(name, separator, at));
  }
  header.append("\n", "\n" + 1);
  return header;
}

// Chunks are written by the threads to memory, and one after the other to the file, while the next ones are written to
// memory. `writers` has one for each thread. Gives what the system said.
std::string write_chunks(const std::vector<Chunk>& chunks, const Copied* copied, std::vector<CsvWriter>* writers,
                         const Workers& workers, ChunkFile* file) {
  std::vector<WrittenText> texts(4 * writers->size());
  for (std::size_t first = 0; first < chunks.size();) {
    std::size_t count = 0;
    while (count < texts.size() && first + count < chunks.size() && !chunks[first + count].is_whole) ++count;
    run_pieces(count, workers, [&](int worker, std::size_t k) {
      (*writers)[static_cast<std::size_t>(worker)].write(chunks[first + k], &texts[k]);
    });
    const std::string problem = count ? file->put_later(&texts) : file->copy(*copied, chunks[first].copied);
    if (!problem.empty()) return problem;
    first += std::max<std::size_t>(count, 1);
    Rcpp::checkUserInterrupt();
  }
  return file->flushed();
}

}  // namespace

// Texts must be UTF-8, dates of four-digit years. The rows are those of parts one after the other, so many each.
// `copied` tells of a file that has some of that: its path, the places of its chunks, the rows of its parts, how many
// fields a record has, and from which of its parts each part is copied, or 0. A column is a vector, or with a number
// in `fields`, from 1, that field of the other file; without any, parts are copied as a whole, and the columns have no
// rows of them. Gives what the system said as `problem`, an empty text if nothing, and where the chunks of rows begin
// as `places`. What is appended has no header.
// [[Rcpp::export]]
Rcpp::List csv_write_cpp(Rcpp::List columns, Rcpp::CharacterVector names, std::vector<double> rows, std::string path,
                         std::string separator, Rcpp::IntegerVector fields, Rcpp::List copied, bool append,
                         int threads) {
  ChunkFile file(path, append);
  const auto finished = [&](const std::string& problem) {
    return Rcpp::List::create(Rcpp::Named("problem") = problem, Rcpp::Named("places") = Rcpp::wrap(file.places()));
  };
  if (!file.is_open()) return finished(std::strerror(errno));
  if (!append && !file.put(csv_header(names, separator[0]))) return finished(std::strerror(errno));
  try {
    const std::unique_ptr<Copied> from = copied_from(copied);
    const bool copies_fields = std::any_of(fields.begin(), fields.end(), [](int field) { return field > 0; });
    const std::vector<Chunk> chunks = chunks_to_write(rows, from.get(), copies_fields);
    const R_xlen_t all = static_cast<R_xlen_t>(std::accumulate(rows.begin(), rows.end(), 0.0));
    Workers workers = threads_for_texts(all, columns.size(), threads);
    std::vector<CsvWriter> writers;
    for (int k = 0; k < std::max<int>(workers, 1); ++k) writers.emplace_back(columns, from.get(), fields, separator[0]);
    if (!writers[0].is_for_threads()) workers.threads = 1;
    return finished(write_chunks(chunks, from.get(), &writers, workers, &file));
  } catch (const OtherFile& error) {
    return finished(error.what());
  } catch (const InputError& error) {
    return finished(error.what());
  } catch (const std::out_of_range&) {
    return finished(OtherFile().what());
  }
}
