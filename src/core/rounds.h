#pragma once
// Work on rows in rounds: the blocks of a round are shared out to threads, and between rounds the
// calling thread has its turn, alone (to look for an interrupt, to hand over results).

#include <cstddef>
#include <functional>

namespace rowanroot {

inline constexpr std::size_t default_block_rows = 2048;

struct Schedule {
  std::size_t block_rows = default_block_rows;
  std::size_t blocks_per_round = 64;
  int threads = 1;
};

// Does one block: rows first to last (not included), by the worker of this number.
using BlockWork = std::function<void(int worker, std::size_t first, std::size_t last)>;
// Called after each round with the rows that it did.
using BetweenRounds = std::function<void(std::size_t first, std::size_t last)>;

// An exception from a worker or from `between` ends the work; it is thrown again here once every thread
// has stopped, so none outlives the call.
void run_rounds(std::size_t rows, const Schedule& schedule, const BlockWork& work, const BetweenRounds& between);

// How many threads a job has, and what the calling thread does now and then, alone: it may throw, which ends the job.
struct Workers {
  Workers(int threads = 1, void (*look_up)() = nullptr) : threads(threads), look_up(look_up) {}
  operator int() const { return threads; }

  int threads;
  void (*look_up)();
};

// Does pieces of work of any size: work(worker, piece).
void run_pieces(std::size_t pieces, const Workers& workers,
                const std::function<void(int worker, std::size_t piece)>& work);

}  // namespace rowanroot
