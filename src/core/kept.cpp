#include "fast.h"

#include "kept.h"

#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>

namespace rowanroot {
namespace {

// Raised when the form of the files changes.
constexpr char mark[8] = {'r', 'o', 'w', 'a', 'n', 'r', '0', '1'};
constexpr std::size_t alignment = 64;

// In four lanes, so that it costs less than fetching the bytes.
std::uint64_t checksum(const void* bytes, std::size_t size) {
  constexpr std::uint64_t factor = 0x9E3779B97F4A7C15ull;
  std::uint64_t lanes[4] = {1, 2, 3, 4};
  const char* at = static_cast<const char*>(bytes);
  const auto mix = [&](std::uint64_t& lane, const char* from, std::size_t count) {
    std::uint64_t word = 0;
    std::memcpy(&word, from, count);
    lane = (lane ^ word) * factor;
    lane ^= lane >> 31;
  };
  std::size_t left = size;
  for (; left >= 32; left -= 32, at += 32)
    for (std::size_t k = 0; k < 4; ++k) mix(lanes[k], at + 8 * k, 8);
  for (; left >= 8; left -= 8, at += 8) mix(lanes[0], at, 8);
  if (left) mix(lanes[1], at, left);
  std::uint64_t sum = size;
  for (std::uint64_t lane : lanes) {
    sum = (sum ^ lane) * factor;
    sum ^= sum >> 29;
  }
  return sum;
}

template <class T>
void put(std::string* to, const T& value) { to->append(reinterpret_cast<const char*>(&value), sizeof(value)); }

// Takes values off the front of bytes.
class Taker {
 public:
  explicit Taker(const std::string& bytes) : at_(bytes.data()), end_(at_ + bytes.size()) {}
  template <class T>
  T take() {
    T value;
    if (static_cast<std::size_t>(end_ - at_) < sizeof(T)) throw DamagedFile("short head");
    std::memcpy(&value, at_, sizeof(T));
    at_ += sizeof(T);
    return value;
  }
  std::string take_rest() { return std::string(at_, end_); }

 private:
  const char* at_;
  const char* const end_;
};

// Mark, size of the head, its checksum.
constexpr std::size_t start_size = sizeof(mark) + 2 * sizeof(std::uint64_t);

std::uint64_t aligned(std::uint64_t place) { return (place + alignment - 1) / alignment * alignment; }

class Output {
 public:
  explicit Output(const std::string& path)
      : path_(path + "." + std::to_string(::getpid())), file_(std::fopen(path_.c_str(), "wb")) {
    if (!file_) throw InputError(std::strerror(errno));
  }
  ~Output() {
    if (file_) std::fclose(file_);
    if (!path_.empty()) std::remove(path_.c_str());
  }
  void write(const void* bytes, std::size_t size) {
    if (size && std::fwrite(bytes, 1, size, file_) != size) throw InputError(std::strerror(errno));
    place_ += size;
  }
  void align() {
    write(std::string(static_cast<std::size_t>(aligned(place_) - place_), '\0').data(),
          static_cast<std::size_t>(aligned(place_) - place_));
  }
  void finish(const std::string& path) {
    const bool closed = std::fclose(file_) == 0;
    file_ = nullptr;
    if (!closed || std::rename(path_.c_str(), path.c_str()) != 0) throw InputError(std::strerror(errno));
    path_.clear();
  }

 private:
  std::string path_;
  std::FILE* file_;
  std::uint64_t place_ = 0;
};

}  // namespace

void write_kept(const std::string& path, KeptHead head, const std::vector<KeptBuffer>& buffers) {
  std::string bytes;
  put(&bytes, static_cast<std::uint32_t>(head.type));
  put(&bytes, head.kinds);
  put(&bytes, head.rows);
  put(&bytes, static_cast<std::uint64_t>(buffers.size()));
  for (const KeptBuffer& buffer : buffers) {
    put(&bytes, static_cast<std::uint64_t>(buffer.second));
    put(&bytes, checksum(buffer.first, buffer.second));
  }
  bytes += head.note;
  Output output(path);
  output.write(mark, sizeof(mark));
  std::string start;
  put(&start, static_cast<std::uint64_t>(bytes.size()));
  put(&start, checksum(bytes.data(), bytes.size()));
  output.write(start.data(), start.size());
  output.write(bytes.data(), bytes.size());
  for (const KeptBuffer& buffer : buffers) {
    output.align();
    output.write(buffer.first, buffer.second);
  }
  output.finish(path);
}

KeptFile::KeptFile(const std::string& path) : path_(path), input_(open_file(path)) {
  const std::uint64_t all = input_->size();
  if (all < start_size) throw DamagedFile("no head");
  std::string start(start_size, '\0');
  input_->read(0, start.size(), &start[0]);
  if (std::memcmp(start.data(), mark, sizeof(mark)) != 0) throw DamagedFile("another form");
  const std::string numbers = start.substr(sizeof(mark));
  Taker about(numbers);
  const std::uint64_t size = about.take<std::uint64_t>(), sum = about.take<std::uint64_t>();
  if (size > all - start_size) throw DamagedFile("short head");
  std::string bytes(static_cast<std::size_t>(size), '\0');
  input_->read(start_size, bytes.size(), &bytes[0]);
  if (checksum(bytes.data(), bytes.size()) != sum) throw DamagedFile("damaged head");
  Taker taker(bytes);
  head_.type = static_cast<KeptType>(taker.take<std::uint32_t>());
  head_.kinds = taker.take<std::uint32_t>();
  head_.rows = taker.take<std::uint64_t>();
  const std::uint64_t count = taker.take<std::uint64_t>();
  std::uint64_t place = start_size + size;
  for (std::uint64_t k = 0; k < count; ++k) {
    head_.sizes.push_back(taker.take<std::uint64_t>());
    sums_.push_back(taker.take<std::uint64_t>());
    places_.push_back(aligned(place));
    place = places_.back() + head_.sizes.back();
  }
  head_.note = taker.take_rest();
  if (count == 0 || place != all) throw DamagedFile("another size");
}

void KeptFile::read(std::size_t buffer, void* to) const {
  const std::size_t size = static_cast<std::size_t>(head_.sizes.at(buffer));
  input_->read(places_[buffer], size, static_cast<char*>(to));
  if (checksum(to, size) != sums_[buffer]) throw DamagedFile("damaged values");
}

MappedBytes KeptFile::map(std::size_t buffer) const {
  MappedBytes mapped(path_, places_.at(buffer), static_cast<std::size_t>(head_.sizes[buffer]));
  if (mapped && checksum(mapped.bytes(), mapped.size()) != sums_[buffer]) throw DamagedFile("damaged values");
  return mapped;
}

}  // namespace rowanroot
