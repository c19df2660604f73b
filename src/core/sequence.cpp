#include "fast.h"

#include "sequence.h"

namespace rowanroot {
namespace {

Buckets<std::uint32_t> rows_by_step(const std::int32_t* step_of_row, std::size_t steps, std::size_t rows,
                                    const Workers& threads) {
  if (!step_of_row) return {0, 1, 1};
  return share_out<std::uint32_t>(
      rows, steps, threads,
      [step_of_row](std::size_t first, std::size_t last, std::uint16_t* bucket) {
        std::copy(step_of_row + first, step_of_row + last, bucket);
      },
      [](std::size_t first, std::size_t last, std::uint32_t* filled) {
        for (std::size_t i = first; i < last; ++i) filled[i - first] = static_cast<std::uint32_t>(i);
      });
}

}  // namespace

FarOrder::FarOrder(const std::int32_t* order, const std::int32_t* step_of_row, std::size_t count, std::size_t rows,
                   const Workers& threads)
    : by_step_(rows_by_step(step_of_row, count, rows, threads)),
      order_(step_of_row ? reinterpret_cast<const std::int32_t*>(by_step_.rows.data()) : order),
      far_(order_, rows, rows, threads) {}

void FarOrder::fetch(const void* from, std::size_t width, void* to) const {
  if (width == 8) far_.fetch(static_cast<const std::int64_t*>(from), static_cast<std::int64_t*>(to));
  else far_.fetch(static_cast<const std::int32_t*>(from), static_cast<std::int32_t*>(to));
}

void FarOrder::send(const void* from, std::size_t width, void* to) const {
  if (width == 8) far_.send(static_cast<const std::int64_t*>(from), static_cast<std::int64_t*>(to));
  else far_.send(static_cast<const std::int32_t*>(from), static_cast<std::int32_t*>(to));
}

Sequence::SharedOut Sequence::share_out_far(const FarOrder& far, const void* values, std::size_t width) const {
  Buffer<char> in_order(rows * width);
  Buffer<std::int32_t> group(group_of_row ? rows : 0);
  far.fetch(values, width, in_order.data());
  if (group_of_row) far.fetch(group_of_row, sizeof(std::int32_t), group.data());
  // The places of the order are now those of the values.
  Sequence ordered = *this;
  ordered.order = far.order();
  ordered.step_of_row = nullptr;
  return ordered.share_out_values({nullptr, group_of_row ? group.data() : nullptr, in_order.data(), width});
}

Sequence::SharedOut Sequence::share_out_values(const Source& source) const {
  const std::size_t stretch = step_of_row ? steps : 1;
  const int shift = group_shift(stretch);
  const std::size_t parts = ((std::max<std::size_t>(groups, 1) - 1) >> shift) + 1;
  const auto place_of = [&](std::size_t i) { return source.order ? static_cast<std::size_t>(source.order[i]) : i; };
  const auto group_at = [&](std::size_t place) {
    return source.group_of_row ? static_cast<std::uint32_t>(source.group_of_row[place]) : 0;
  };
  const auto choose = [&](std::size_t first, std::size_t last, std::uint16_t* bucket) {
    for (std::size_t i = first; i < last; ++i) {
      const std::size_t part = group_at(place_of(i)) >> shift;
      bucket[i - first] =
          static_cast<std::uint16_t>(step_of_row ? part * steps + static_cast<std::size_t>(step_of_row[i]) : part);
    }
  };
  const auto fill_with = [&](auto* values, std::size_t first, std::size_t last, KeyedRow* filled) {
    for (std::size_t i = first; i < last; ++i) {
      KeyedRow& one = filled[i - first];
      const std::size_t place = place_of(i);
      one.row = static_cast<std::uint32_t>(order ? order[i] : i);
      one.group = group_at(place);
      std::memcpy(&one.key, values + place, sizeof(*values));
    }
  };
  const auto fill = [&](std::size_t first, std::size_t last, KeyedRow* filled) {
    if (source.width == 8) fill_with(static_cast<const std::int64_t*>(source.values), first, last, filled);
    else fill_with(static_cast<const std::int32_t*>(source.values), first, last, filled);
  };
  return {share_out<KeyedRow>(rows, parts * stretch, threads, choose, fill), parts, stretch};
}

// Rows are shared out among parts whose groups have numbers that differ in this many bits only.
int Sequence::group_shift(std::size_t stretch) const {
  constexpr std::size_t most_buckets = 4096, groups_in_cache = 4096;
  const std::size_t for_cache = (groups + groups_in_cache - 1) / groups_in_cache;
  const std::size_t for_threads = static_cast<std::size_t>(std::max<int>(threads, 1));
  const std::size_t wanted = std::max<std::size_t>(
      std::min(std::max(for_cache, for_threads), most_buckets / stretch), 1);
  int shift = 0;
  while (((std::max<std::size_t>(groups, 1) - 1) >> shift) + 1 > wanted) ++shift;
  return shift;
}

}  // namespace rowanroot
