#include "fast.h"

#include "gather.h"

#include <algorithm>
#include <cstring>

#include "far_rows.h"
#include "memory.h"
#include "rounds.h"

namespace rowanroot {
namespace {

constexpr std::size_t line = 64, block_rows = 256, ahead = 24;
// Of fewer rows each may as well be looked for where it lies.
constexpr std::size_t far_rows_worth = 1 << 16;

template <class T>
void gather_values(const T* from, T* to, const std::int32_t* order, std::size_t first, std::size_t last,
                   std::size_t count) {
  for (std::size_t i = first; i < last; ++i) {
    if (i + ahead < count) __builtin_prefetch(from + order[i + ahead]);
    to[i] = from[order[i]];
  }
}

void gather_column(const GatheredColumn& column, const std::int32_t* order, std::size_t count, Workers threads) {
  constexpr std::size_t piece = 1 << 15;
  run_pieces((count + piece - 1) / piece, threads, [&](int, std::size_t k) {
    const std::size_t first = k * piece, last = std::min(count, first + piece);
    if (column.width == 8)
      gather_values(static_cast<const std::uint64_t*>(column.from), static_cast<std::uint64_t*>(column.to), order,
                    first, last, count);
    else
      gather_values(static_cast<const std::uint32_t*>(column.from), static_cast<std::uint32_t*>(column.to), order,
                    first, last, count);
  });
}

// Columns that together fill a line of the cache, and where each lies in it.
struct Pack {
  std::vector<GatheredColumn> columns;
  std::vector<std::size_t> places;
  std::size_t width = 0;
};

std::vector<Pack> pack_columns(std::vector<GatheredColumn> columns) {
  std::stable_sort(columns.begin(), columns.end(),
                   [](const GatheredColumn& a, const GatheredColumn& b) { return a.width > b.width; });
  std::vector<Pack> packs;
  for (const GatheredColumn& column : columns) {
    if (packs.empty() || packs.back().width + column.width > line) packs.emplace_back();
    packs.back().places.push_back(packs.back().width);
    packs.back().columns.push_back(column);
    packs.back().width += column.width;
  }
  return packs;
}

template <class T>
void put_in_lines(const void* from, std::size_t first, std::size_t last, unsigned char* lines, std::size_t width) {
  const T* values = static_cast<const T*>(from);
  for (std::size_t i = first; i < last; ++i, lines += width) std::memcpy(lines, values + i, sizeof(T));
}

template <class T>
void take_from_lines(void* to, std::size_t first, std::size_t last, const unsigned char* lines, std::size_t width) {
  T* values = static_cast<T*>(to);
  for (std::size_t i = first; i < last; ++i, lines += width) std::memcpy(values + i, lines, sizeof(T));
}

// Rows are made of the columns, so that a row far away is one access to memory and not one for each column.
void gather_pack(const Pack& pack, std::size_t rows, const std::int32_t* order, std::size_t count, Workers threads) {
  const std::size_t width = pack.width <= 16 ? 16 : pack.width <= 32 ? 32 : line;
  Buffer<unsigned char> packed((rows + 1) * width + line);
  unsigned char* const lines = packed.data() + (line - reinterpret_cast<std::uintptr_t>(packed.data()) % line) % line;
  run_pieces((rows + block_rows - 1) / block_rows, threads, [&](int, std::size_t block) {
    const std::size_t first = block * block_rows, last = std::min(rows, first + block_rows);
    for (std::size_t k = 0; k < pack.columns.size(); ++k) {
      unsigned char* const place = lines + first * width + pack.places[k];
      if (pack.columns[k].width == 8) put_in_lines<std::uint64_t>(pack.columns[k].from, first, last, place, width);
      else put_in_lines<std::uint32_t>(pack.columns[k].from, first, last, place, width);
    }
  });
  run_pieces((count + block_rows - 1) / block_rows, threads, [&](int, std::size_t block) {
    alignas(line) unsigned char here[block_rows * line];
    const std::size_t first = block * block_rows, last = std::min(count, first + block_rows);
    for (std::size_t i = first; i < last; ++i) {
      if (i + ahead < count) __builtin_prefetch(lines + static_cast<std::size_t>(order[i + ahead]) * width);
      std::memcpy(here + (i - first) * width, lines + static_cast<std::size_t>(order[i]) * width, width);
    }
    for (std::size_t k = 0; k < pack.columns.size(); ++k) {
      if (pack.columns[k].width == 8)
        take_from_lines<std::uint64_t>(pack.columns[k].to, first, last, here + pack.places[k], width);
      else take_from_lines<std::uint32_t>(pack.columns[k].to, first, last, here + pack.places[k], width);
    }
  });
}

}  // namespace

void gather(const std::vector<GatheredColumn>& columns, std::size_t rows, const std::int32_t* order, std::size_t count,
            Workers threads) {
  if (count > far_rows_worth && is_beyond_memory()) {
    const FarRows far(order, count, rows, threads);
    for (const GatheredColumn& column : columns) {
      const auto fetch = [&](auto value) {
        using Value = decltype(value);
        far.fetch(static_cast<const Value*>(column.from), static_cast<Value*>(column.to));
      };
      if (column.width == 8) fetch(std::uint64_t());
      else fetch(std::uint32_t());
    }
    return;
  }
  // Small tables stay in the cache, and of few rows most of a packed table would not be read.
  const bool worth_packing = rows > (1 << 16) && count > rows / 2;
  for (const Pack& pack : pack_columns(columns)) {
    if (worth_packing && pack.columns.size() > 2) gather_pack(pack, rows, order, count, threads);
    else for (const GatheredColumn& column : pack.columns) gather_column(column, order, count, threads);
  }
}

namespace {

template <class T>
void gather_known_values(const T* from, T missing, const std::int32_t* rows, std::size_t count, T* to,
                         Workers threads) {
  constexpr std::size_t piece = 1 << 15;
  run_pieces((count + piece - 1) / piece, threads, [&](int, std::size_t k) {
    const std::size_t last = std::min(count, (k + 1) * piece);
    for (std::size_t i = k * piece; i < last; ++i) to[i] = rows[i] == missing_integer ? missing : from[rows[i] - 1];
  });
}

}  // namespace

void gather_known(Type type, const void* from, const std::int32_t* rows, std::size_t count, void* to, Workers threads) {
  if (type == Type::real)
    gather_known_values(static_cast<const double*>(from), missing_real(), rows, count, static_cast<double*>(to),
                        threads);
  else
    gather_known_values(static_cast<const std::int32_t*>(from), missing_integer, rows, count,
                        static_cast<std::int32_t*>(to), threads);
}

}  // namespace rowanroot
