// CSV files of four shapes read and written by hand, types known, on one thread: what the reader's and the writer's
// time is compared with. Nothing is checked, and there are no missing values but those of the shape.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>
#include <fcntl.h>
#include <immintrin.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

namespace {

double processor_seconds() {
  timespec now;
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
  return static_cast<double>(now.tv_sec) + 1e-9 * static_cast<double>(now.tv_nsec);
}

// Memory in large pages that nobody has set to zero.
template <class T>
class Values {
 public:
  explicit Values(std::size_t count) : bytes_(std::max<std::size_t>(count, 1) * sizeof(T)) {
    values_ = static_cast<T*>(mmap(nullptr, bytes_, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0));
    madvise(values_, bytes_, MADV_HUGEPAGE);
  }
  ~Values() { munmap(values_, bytes_); }
  Values(const Values&) = delete;
  T* data() { return values_; }
  T& operator[](std::size_t i) { return values_[i]; }

 private:
  std::size_t bytes_;
  T* values_;
};

struct Text {
  std::uint64_t first;
  std::int32_t size;
};

// Bytes with 64 more behind them, that wide instructions may look at.
class File {
 public:
  explicit File(const std::string& path) : bytes_(size_of(path) + 64) {
    const int file = open(path.c_str(), O_RDONLY);
    size_ = size_of(path);
    for (std::size_t at = 0; at < size_;) at += static_cast<std::size_t>(read(file, bytes_.data() + at, size_ - at));
    close(file);
  }
  char* begin() { return bytes_.data(); }
  char* end() { return bytes_.data() + size_; }

 private:
  static std::size_t size_of(const std::string& path) {
    struct stat about;
    stat(path.c_str(), &about);
    return static_cast<std::size_t>(about.st_size);
  }
  Values<char> bytes_;
  std::size_t size_;
};

std::size_t count_bytes(const char* at, const char* end, char wanted) {
  std::size_t count = 0;
  const __m256i same = _mm256_set1_epi8(wanted);
  for (; at + 32 <= end; at += 32) {
    const __m256i bytes = _mm256_loadu_si256(reinterpret_cast<const __m256i*>(at));
    count += static_cast<std::size_t>(__builtin_popcount(
        static_cast<unsigned>(_mm256_movemask_epi8(_mm256_cmpeq_epi8(bytes, same)))));
  }
  for (; at < end; ++at) count += *at == wanted;
  return count;
}

// The next separator or line end.
template <char separator>
char* field_end(char* at) {
  const __m256i a = _mm256_set1_epi8(separator), b = _mm256_set1_epi8('\n');
  for (;; at += 32) {
    const __m256i bytes = _mm256_loadu_si256(reinterpret_cast<const __m256i*>(at));
    const unsigned found = static_cast<unsigned>(
        _mm256_movemask_epi8(_mm256_or_si256(_mm256_cmpeq_epi8(bytes, a), _mm256_cmpeq_epi8(bytes, b))));
    if (found) return at + __builtin_ctz(found);
  }
}

constexpr double powers[] = {1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9, 1e10,
                             1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21};

// Each reads the field that begins at `at` and gives the place behind the sign that ends it.
char* read_whole(char* at, std::int32_t* value) {
  const bool is_negative = *at == '-';
  at += is_negative;
  std::int32_t number = 0;
  for (; static_cast<unsigned char>(*at - '0') < 10; ++at) number = number * 10 + (*at - '0');
  *value = is_negative ? -number : number;
  return at + 1;
}

template <char separator, char decimal>
char* read_number(char* const from, double* value) {
  char* at = from;
  const bool is_negative = *at == '-';
  at += is_negative;
  std::uint64_t digits = 0;
  const char* const first = at;
  for (; static_cast<unsigned char>(*at - '0') < 10; ++at) digits = digits * 10 + static_cast<unsigned char>(*at - '0');
  std::ptrdiff_t decimals = 0, count = at - first;
  if (*at == decimal) {
    const char* const behind = ++at;
    for (; static_cast<unsigned char>(*at - '0') < 10; ++at)
      digits = digits * 10 + static_cast<unsigned char>(*at - '0');
    decimals = at - behind;
    count += decimals;
  }
  if ((*at == separator || *at == '\n') && count < 19 && digits < (std::uint64_t(1) << 53)) {
    const double number = static_cast<double>(digits) / powers[decimals];
    *value = is_negative ? -number : number;
    return at + 1;
  }
  at = field_end<separator>(from);
  if (decimal != '.')
    if (void* sign = std::memchr(from, decimal, static_cast<std::size_t>(at - from))) *static_cast<char*>(sign) = '.';
  std::from_chars(from, at, *value);
  return at + 1;
}

int two_digits(const char* at) { return (at[0] - '0') * 10 + (at[1] - '0'); }

char* read_date(char* at, double* value) {
  const int year = two_digits(at) * 100 + two_digits(at + 2), month = two_digits(at + 5), day = two_digits(at + 8);
  const int y = year - (month <= 2), era = y / 400, of_era = y - era * 400;
  const int of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  *value = era * 146097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719468;
  return at + 11;
}

char* read_logical(char* at, std::int32_t* value) {
  if (*at == 'T') return *value = 1, at + 5;
  if (*at == 'F') return *value = 0, at + 6;
  *value = INT32_MIN;
  return at + 1;
}

template <char separator>
char* read_text(char* const start, char* from, Text* text) {
  if (*from != '"') {
    char* const end = field_end<separator>(from);
    *text = {static_cast<std::uint64_t>(from - start), static_cast<std::int32_t>(end - from)};
    return end + 1;
  }
  char* at = ++from;
  char* to = from;
  for (;;) {
    char* const quote = static_cast<char*>(std::memchr(at, '"', SIZE_MAX / 4));
    const std::size_t size = static_cast<std::size_t>(quote - at);
    if (to != at) std::memmove(to, at, size);
    to += size;
    at = quote + 1;
    if (*at != '"') break;
    *to++ = '"';
    ++at;
  }
  *text = {static_cast<std::uint64_t>(from - start), static_cast<std::int32_t>(to - from)};
  return at + 1;
}

// Text that is written to a file a megabyte at a time.
class Out {
 public:
  Out(const std::string& path, const std::string& header)
      : file_(open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644)),
        at_(std::copy(header.begin(), header.end(), buffer_)) {}
  ~Out() { flush(), close(file_); }
  char* room() {
    if (at_ > buffer_ + sizeof buffer_ - (1 << 16)) flush();
    return at_;
  }
  void written(char* end) { at_ = end; }

 private:
  void flush() {
    for (char* from = buffer_; from < at_;) from += write(file_, from, static_cast<std::size_t>(at_ - from));
    at_ = buffer_;
  }
  int file_;
  char buffer_[1 << 20];
  char* at_;
};

char* write_whole(char* to, std::int32_t value) { return std::to_chars(to, to + 16, value).ptr; }

char* write_number(char* to, double value) {
  const double size = std::fabs(value), hundreds = std::nearbyint(size * 100);
  if (size >= 0.01 && size < 1e5 && hundreds / 100 == size) {
    std::uint32_t whole = static_cast<std::uint32_t>(hundreds);
    if (value < 0) *to++ = '-';
    to = std::to_chars(to, to + 16, whole / 100).ptr;
    whole %= 100;
    if (whole) {
      *to++ = '.';
      *to++ = static_cast<char>('0' + whole / 10);
      if (whole % 10) *to++ = static_cast<char>('0' + whole % 10);
    }
    return to;
  }
  return std::to_chars(to, to + 32, value).ptr;
}

char* write_date(char* to, double value) {
  const int days = static_cast<int>(value) + 719468, era = days / 146097, of_era = days - era * 146097;
  const int years = (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
  const int of_year = of_era - (365 * years + years / 4 - years / 100), m = (5 * of_year + 2) / 153;
  const int day = of_year - (153 * m + 2) / 5 + 1, month = m < 10 ? m + 3 : m - 9;
  const int year = years + era * 400 + (month <= 2);
  const auto two = [&](int number) {
    *to++ = static_cast<char>('0' + number / 10), *to++ = static_cast<char>('0' + number % 10);
  };
  two(year / 100), two(year % 100), *to++ = '-', two(month), *to++ = '-', two(day);
  return to;
}

char* write_logical(char* to, std::int32_t value) {
  if (value == INT32_MIN) return to;
  std::memcpy(to, value ? "TRUE" : "FALSE", 5);
  return to + (value ? 4 : 5);
}

char* write_text(char* to, const char* from, std::size_t size, char separator) {
  bool is_plain = true;
  for (std::size_t i = 0; i < size; ++i)
    is_plain &= (from[i] != separator) & (from[i] != '"') & (from[i] != '\n') & (from[i] != '\r');
  if (is_plain) return std::memcpy(to, from, size), to + size;
  *to++ = '"';
  for (const char* const end = from + size; from < end;) {
    const void* const quote = std::memchr(from, '"', static_cast<std::size_t>(end - from));
    const char* const to_here = quote ? static_cast<const char*>(quote) : end;
    const std::size_t part = static_cast<std::size_t>(to_here - from);
    std::memcpy(to, from, part);
    to += part, from += part;
    if (quote) *to++ = '"', *to++ = '"', ++from;
  }
  *to++ = '"';
  return to;
}

// The header is left as it is.
std::string header_of(File& file) {
  return {file.begin(), static_cast<char*>(std::memchr(file.begin(), '\n', SIZE_MAX / 4)) + 1};
}

Rcpp::NumericVector took(double start, double read, double written) {
  return Rcpp::NumericVector::create(Rcpp::Named("read") = read - start, Rcpp::Named("write") = written - read);
}

}  // namespace

// Each reads a file, writes what it read to another, and gives the seconds of the processor for each.

// id, hive, apiary, x, y, kg, frames, day, note, flag
// [[Rcpp::export]]
Rcpp::NumericVector limit_csv_ten(std::string from, std::string to) {
  const double start = processor_seconds();
  File file(from);
  const std::string header = header_of(file);
  char* at = file.begin() + header.size();
  const std::size_t rows = count_bytes(at, file.end(), '\n');
  Values<std::int32_t> id(rows), frames(rows), flag(rows);
  Values<double> x(rows), y(rows), kg(rows), day(rows);
  Values<Text> hive(rows), apiary(rows), note(rows);
  char* const bytes = file.begin();
  for (std::size_t i = 0; i < rows; ++i) {
    at = read_whole(at, &id[i]);
    at = read_text<','>(bytes, at, &hive[i]);
    at = read_text<','>(bytes, at, &apiary[i]);
    at = read_number<',', '.'>(at, &x[i]);
    at = read_number<',', '.'>(at, &y[i]);
    at = read_number<',', '.'>(at, &kg[i]);
    at = read_whole(at, &frames[i]);
    at = read_date(at, &day[i]);
    at = read_text<','>(bytes, at, &note[i]);
    at = read_logical(at, &flag[i]);
  }
  const double read = processor_seconds();
  {
    Out out(to, header);
    char* put;
    const auto text = [&](char* put, const Text& value) {
      return write_text(put, bytes + value.first, static_cast<std::size_t>(value.size), ',');
    };
    for (std::size_t i = 0; i < rows; ++i) {
      put = out.room();
      put = write_whole(put, id[i]), *put++ = ',';
      put = text(put, hive[i]), *put++ = ',';
      put = text(put, apiary[i]), *put++ = ',';
      put = write_number(put, x[i]), *put++ = ',';
      put = write_number(put, y[i]), *put++ = ',';
      put = write_number(put, kg[i]), *put++ = ',';
      put = write_whole(put, frames[i]), *put++ = ',';
      put = write_date(put, day[i]), *put++ = ',';
      put = text(put, note[i]), *put++ = ',';
      put = write_logical(put, flag[i]), *put++ = '\n';
      out.written(put);
    }
  }
  return took(start, read, processor_seconds());
}

// 200 columns of numbers with two decimals.
// [[Rcpp::export]]
Rcpp::NumericVector limit_csv_wide(std::string from, std::string to) {
  const double start = processor_seconds();
  File file(from);
  const std::string header = header_of(file);
  char* at = file.begin() + header.size();
  const std::size_t rows = count_bytes(at, file.end(), '\n'), columns = 200;
  Values<double> values(rows * columns);
  for (std::size_t i = 0; i < rows; ++i)
    for (std::size_t k = 0; k < columns; ++k) at = read_number<',', '.'>(at, &values[k * rows + i]);
  const double read = processor_seconds();
  {
    Out out(to, header);
    char* put;
    for (std::size_t i = 0; i < rows; ++i) {
      put = out.room();
      for (std::size_t k = 0; k < columns; ++k) {
        put = write_number(put, values[k * rows + i]);
        *put++ = k + 1 < columns ? ',' : '\n';
      }
      out.written(put);
    }
  }
  return took(start, read, processor_seconds());
}

// id, then a long text in quotes with line ends, separators and quotes, then kg.
// [[Rcpp::export]]
Rcpp::NumericVector limit_csv_quoted(std::string from, std::string to) {
  const double start = processor_seconds();
  File file(from);
  const std::string header = header_of(file);
  char* at = file.begin() + header.size();
  const std::size_t most = count_bytes(at, file.end(), '\n');
  Values<std::int32_t> id(most);
  Values<Text> note(most);
  Values<double> kg(most);
  std::size_t rows = 0;
  for (; at < file.end(); ++rows) {
    at = read_whole(at, &id[rows]);
    at = read_text<','>(file.begin(), at, &note[rows]);
    at = read_number<',', '.'>(at, &kg[rows]);
  }
  const double read = processor_seconds();
  {
    Out out(to, header);
    char* put;
    for (std::size_t i = 0; i < rows; ++i) {
      put = out.room();
      put = write_whole(put, id[i]), *put++ = ',';
      put = write_text(put, file.begin() + note[i].first, static_cast<std::size_t>(note[i].size), ','), *put++ = ',';
      put = write_number(put, kg[i]), *put++ = '\n';
      out.written(put);
    }
  }
  return took(start, read, processor_seconds());
}

// hive; gross_kg; tare_kg; day; x, with a decimal comma. It is written with a point and a comma between fields.
// [[Rcpp::export]]
Rcpp::NumericVector limit_csv_comma(std::string from, std::string to) {
  const double start = processor_seconds();
  File file(from);
  std::string header = header_of(file);
  char* at = file.begin() + header.size();
  const std::size_t rows = count_bytes(at, file.end(), '\n');
  Values<Text> hive(rows);
  Values<double> gross(rows), tare(rows), day(rows), x(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    at = read_text<';'>(file.begin(), at, &hive[i]);
    at = read_number<';', ','>(at, &gross[i]);
    at = read_number<';', ','>(at, &tare[i]);
    at = read_date(at, &day[i]);
    at = read_number<';', ','>(at, &x[i]);
  }
  const double read = processor_seconds();
  for (char& sign : header) sign = sign == ';' ? ',' : sign;
  {
    Out out(to, header);
    char* put;
    for (std::size_t i = 0; i < rows; ++i) {
      put = out.room();
      put = write_text(put, file.begin() + hive[i].first, static_cast<std::size_t>(hive[i].size), ','), *put++ = ',';
      put = write_number(put, gross[i]), *put++ = ',';
      put = write_number(put, tare[i]), *put++ = ',';
      put = write_date(put, day[i]), *put++ = ',';
      put = write_number(put, x[i]), *put++ = '\n';
      out.written(put);
    }
  }
  return took(start, read, processor_seconds());
}
