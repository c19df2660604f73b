#include "rounds.h"

#include <algorithm>
#include <atomic>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace rowanroot {
namespace {

// Threads that wait for a round, take its blocks in turn until none is left, and wait for the next.
class Team {
 public:
  Team(int threads, std::size_t block_rows, const BlockWork& work) : block_rows_(block_rows), work_(work) {
    for (int worker = 1; worker < threads; ++worker) members_.emplace_back([this, worker] { serve(worker); });
  }

  ~Team() {
    {
      std::lock_guard<std::mutex> hold(mutex_);
      dismissed_ = true;
    }
    start_.notify_all();
    for (std::thread& member : members_) member.join();
  }

  void do_round(std::size_t first, std::size_t last) {
    {
      std::lock_guard<std::mutex> hold(mutex_);
      next_ = first;
      last_ = last;
      busy_ = members_.size();
      ++round_;
    }
    start_.notify_all();
    take_blocks(0);
    std::unique_lock<std::mutex> hold(mutex_);
    finished_.wait(hold, [this] { return busy_ == 0; });
    if (failure_) std::rethrow_exception(failure_);
  }

 private:
  void serve(int worker) {
    std::size_t seen = 0;
    std::unique_lock<std::mutex> hold(mutex_);
    for (;;) {
      start_.wait(hold, [&] { return dismissed_ || round_ != seen; });
      if (dismissed_) return;
      seen = round_;
      hold.unlock();
      take_blocks(worker);
      hold.lock();
      if (--busy_ == 0) finished_.notify_one();
    }
  }

  void take_blocks(int worker) {
    try {
      for (;;) {
        const std::size_t first = next_.fetch_add(block_rows_);
        if (first >= last_) return;
        work_(worker, first, std::min(first + block_rows_, last_));
      }
    } catch (...) {
      std::lock_guard<std::mutex> hold(mutex_);
      if (!failure_) failure_ = std::current_exception();
      next_ = last_;
    }
  }

  const std::size_t block_rows_;
  const BlockWork& work_;
  std::vector<std::thread> members_;
  std::mutex mutex_;
  std::condition_variable start_, finished_;
  std::atomic<std::size_t> next_{0};
  std::size_t last_ = 0, round_ = 0, busy_ = 0;
  bool dismissed_ = false;
  std::exception_ptr failure_;
};

}  // namespace

void run_rounds(std::size_t rows, const Schedule& schedule, const BlockWork& work, const BetweenRounds& between) {
  const std::size_t round_rows = schedule.block_rows * schedule.blocks_per_round;
  const std::size_t blocks = (rows + schedule.block_rows - 1) / schedule.block_rows;
  const std::size_t useful = std::min<std::size_t>(std::max(schedule.threads, 1), std::max<std::size_t>(blocks, 1));
  Team team(static_cast<int>(useful), schedule.block_rows, work);
  for (std::size_t first = 0; first < rows; first += round_rows) {
    const std::size_t last = std::min(first + round_rows, rows);
    team.do_round(first, last);
    between(first, last);
  }
}

void run_pieces(std::size_t pieces, const Workers& workers, const std::function<void(int worker, std::size_t piece)>& work) {
  constexpr std::size_t least_a_round = 64, rounds = 32;
  Schedule schedule;
  schedule.block_rows = 1;
  schedule.blocks_per_round = std::max(pieces / rounds, least_a_round);
  schedule.threads = workers;
  run_rounds(pieces, schedule, [&](int worker, std::size_t piece, std::size_t) { work(worker, piece); },
             [&](std::size_t, std::size_t) { if (workers.look_up) workers.look_up(); });
}

}  // namespace rowanroot
