#include <cmath>
#include <limits>
#include <random>
#include <stdexcept>

#include "check.h"
#include "program.h"

using namespace rowanroot;

namespace {

RunOptions options(std::size_t block_rows, int threads) {
  RunOptions result;
  result.schedule.block_rows = block_rows;
  result.schedule.blocks_per_round = 4;
  result.schedule.threads = threads;
  return result;
}

void nothing(std::size_t, std::size_t) {}

bool same(double a, double b) { return std::memcmp(&a, &b, sizeof a) == 0 || (a != a && b != b); }

}  // namespace

TEST("a program gives the same for every block size and number of threads") {
  Program program;
  const int x = program.add_input(Type::real), n = program.add_input(Type::integer);
  const int two = program.add_constant(Constant::of_real(2));
  const int real_n = program.add_operation("to_real", {n});
  const int sum = program.add_operation("add", {x, real_n});
  const int product = program.add_operation("multiply", {sum, two});
  const int small = program.add_operation("less", {product, two});
  const int chosen = program.add_operation("choose", {small, x, product});
  program.add_output(chosen);
  program.add_output(small);

  const std::size_t rows = 1000;
  std::mt19937 random(1);
  std::vector<double> xs(rows);
  std::vector<std::int32_t> ns(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    xs[i] = i % 17 == 0 ? missing_real() : std::uniform_real_distribution<>(-5, 5)(random);
    ns[i] = i % 13 == 0 ? missing_integer : static_cast<std::int32_t>(random() % 7) - 3;
  }
  for (std::size_t block_rows : {1, 7, 64, 2048})
    for (int threads : {1, 2, 3}) {
      std::vector<double> result(rows);
      std::vector<std::int32_t> condition(rows);
      run_program(program, {xs.data(), ns.data()}, {result.data(), condition.data()}, rows,
                  options(block_rows, threads), nothing);
      bool all = true;
      for (std::size_t i = 0; i < rows; ++i) {
        const double expected = (xs[i] + (ns[i] == missing_integer ? missing_real() : ns[i])) * 2;
        const bool known = expected == expected;
        all = all && condition[i] == (known ? expected < 2 : missing_integer);
        all = all && same(result[i], !known ? missing_real() : expected < 2 ? xs[i] : expected);
      }
      CHECK(all);
    }
}

TEST("registers of different widths do not overwrite each other") {
  // Each conversion reads 4 bytes a row and writes 8: sharing one slot would destroy what is unread.
  Program program;
  const int n = program.add_input(Type::integer);
  int last = program.add_operation("to_real", {program.add_operation("negate", {n})});
  for (int k = 0; k < 3; ++k) {
    const int known = program.add_operation("is_finite", {last});
    last = program.add_operation("add", {last, program.add_operation("to_real", {known})});
  }
  program.add_output(last);
  std::vector<std::int32_t> ns(100);
  for (int i = 0; i < 100; ++i) ns[i] = i;
  std::vector<double> result(100);
  run_program(program, {ns.data()}, {result.data()}, 100, options(32, 1), nothing);
  bool all = true;
  for (int i = 0; i < 100; ++i) all = all && result[i] == 3 - i;
  CHECK(all);
}

TEST("overflow is counted once a wanted row, with the first row, by any number of threads") {
  Program program;
  const int a = program.add_input(Type::integer), wanted = program.add_input(Type::logical);
  const int sum = program.add_operation("add", {a, a}, wanted);
  program.add_output(sum);
  std::vector<std::int32_t> as(500, std::numeric_limits<std::int32_t>::max()), ws(500, 1), result(500);
  as[0] = 1;
  as[1] = missing_integer;
  ws[2] = 0;
  for (int threads : {1, 2}) {
    const auto overflows =
        run_program(program, {as.data(), ws.data()}, {result.data()}, 500, options(16, threads), nothing);
    CHECK(overflows[sum].rows == 497);
    CHECK(overflows[sum].first_row == 3);
    CHECK(result[0] == 2 && result[1] == missing_integer && result[3] == missing_integer);
  }
}

TEST("an exception between rounds or in a worker ends the work and comes through") {
  Schedule schedule;
  schedule.block_rows = 10;
  schedule.blocks_per_round = 2;
  schedule.threads = 2;
  std::size_t rounds = 0;
  const auto stop_soon = [&](std::size_t, std::size_t) {
    if (++rounds == 3) throw std::runtime_error("interrupted");
  };
  CHECK(throws<std::runtime_error>([&] {
    run_rounds(
        1000, schedule, [](int, std::size_t, std::size_t) {}, stop_soon);
  }));
  CHECK(rounds == 3);
  const auto fail = [](int, std::size_t first, std::size_t) {
    if (first == 500) throw std::domain_error("in a worker");
  };
  CHECK(throws<std::domain_error>([&] { run_rounds(1000, schedule, fail, nothing); }));
}

TEST("every row is done once, and rounds come in order") {
  Schedule schedule;
  schedule.block_rows = 7;
  schedule.blocks_per_round = 3;
  schedule.threads = 3;
  std::vector<int> done(1001, 0);
  std::size_t expected_first = 0;
  bool in_order = true;
  run_rounds(
      1001, schedule,
      [&](int, std::size_t first, std::size_t last) { for (std::size_t i = first; i < last; ++i) ++done[i]; },
      [&](std::size_t first, std::size_t last) {
        in_order = in_order && first == expected_first;
        expected_first = last;
      });
  CHECK(in_order && expected_first == 1001);
  CHECK(done == std::vector<int>(1001, 1));
  run_rounds(0, schedule, [&](int, std::size_t, std::size_t) { ++done[0]; }, nothing);
  CHECK(done[0] == 1);
}

TEST("what does not fit together is refused") {
  Program program;
  const int x = program.add_input(Type::real);
  const int text = program.add_input(Type::text);
  CHECK(throws<std::invalid_argument>([&] { program.add_operation("add", {x, text}); }));
  CHECK(throws<std::invalid_argument>([&] { program.add_operation("nonsense", {x}); }));
  CHECK(throws<std::invalid_argument>([&] { program.add_output(x); }));
  CHECK(throws<std::invalid_argument>([&] { run_program(program, {}, {}, 1, options(8, 1), nothing); }));
}
