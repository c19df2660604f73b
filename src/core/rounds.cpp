#include "rounds.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <system_error>
#include <thread>
#include <vector>

namespace rowanroot {
namespace {

// Threads that wait for a round, take its blocks in turn until none is left, and wait for the next.
class Team {
 public:
  // With fewer threads where the system has no more.
  Team(int threads, std::size_t block_rows, const BlockWork& work) : block_rows_(block_rows), work_(work) {
    members_.reserve(static_cast<std::size_t>(std::max(threads, 1)));
    try {
      for (int worker = 1; worker < threads; ++worker) members_.emplace_back([this, worker] { serve(worker); });
    } catch (const std::system_error&) {
    }
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
      // Blocks that lie together go to one thread, so that two don't wait for the same page of new memory.
      const std::size_t blocks = (last - first + block_rows_ - 1) / block_rows_;
      taken_at_once_ = block_rows_ * std::max<std::size_t>(blocks / (8 * (members_.size() + 1)), 1);
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
        std::size_t first = next_.fetch_add(taken_at_once_);
        const std::size_t end = std::min(first + taken_at_once_, last_);
        if (first >= end) return;
        for (; first < end; first += block_rows_) work_(worker, first, std::min(first + block_rows_, end));
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
  std::size_t last_ = 0, taken_at_once_ = 1, round_ = 0, busy_ = 0;
  bool dismissed_ = false;
  std::exception_ptr failure_;
};

}  // namespace

// A round should be long beside what it costs to gather the threads, and short beside a user's patience.
constexpr std::chrono::milliseconds short_round(8);

void run_rounds(std::size_t rows, const Schedule& schedule, const BlockWork& work, const BetweenRounds& between) {
  using Clock = std::chrono::steady_clock;
  const std::size_t blocks = (rows + schedule.block_rows - 1) / schedule.block_rows;
  const std::size_t useful = std::min<std::size_t>(std::max(schedule.threads, 1), std::max<std::size_t>(blocks, 1));
  Team team(static_cast<int>(useful), schedule.block_rows, work);
  std::size_t round_rows = schedule.block_rows * schedule.blocks_per_round;
  for (std::size_t first = 0; first < rows;) {
    const std::size_t last = std::min(first + round_rows, rows);
    const Clock::time_point start = Clock::now();
    team.do_round(first, last);
    between(first, last);
    if (Clock::now() - start < short_round) round_rows *= 2;
    first = last;
  }
}

void run_pieces(std::size_t pieces, const Workers& workers,
                const std::function<void(int worker, std::size_t piece)>& work) {
  Schedule schedule;
  schedule.block_rows = 1;
  schedule.blocks_per_round = 64;
  schedule.threads = workers;
  run_rounds(pieces, schedule, [&](int worker, std::size_t piece, std::size_t) { work(worker, piece); },
             [&](std::size_t, std::size_t) { if (workers.look_up) workers.look_up(); });
}

}  // namespace rowanroot
