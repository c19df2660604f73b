// Each operation of real numbers, value by value, beside what the standard library gives.
#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <map>
#include <string>

#include "check.h"
#include "program.h"

using namespace rowanroot;

namespace {

using Reals = std::vector<double>;

void nothing(std::size_t, std::size_t) {}

template <class Result>
std::vector<Result> calculate(const char* operation, const std::vector<Reals>& columns) {
  Program program;
  std::vector<int> slots;
  std::vector<const void*> inputs;
  for (const Reals& column : columns) {
    slots.push_back(program.add_input(Type::real));
    inputs.push_back(column.data());
  }
  program.add_output(program.add_operation(operation, slots));
  std::vector<Result> result(columns[0].size());
  RunOptions options;
  options.schedule.block_rows = 4;
  run_program(program, inputs, {result.data()}, result.size(), options, nothing);
  return result;
}

bool same(double a, double b) {
  return std::isnan(a) ? std::isnan(b) : a == b && std::signbit(a) == std::signbit(b);
}

const double infinity = std::numeric_limits<double>::infinity();
const Reals values = {-infinity, -1e300, -2.5, -1, -0.5, -0.0, 0, 1e-9, 0.25, 1, 1.5, 2, 10, 1000, infinity};

}  // namespace

TEST("operations of one real number are the standard library's") {
  const std::map<std::string, std::function<double(double)>> functions = {
      {"absolute", [](double x) { return std::fabs(x); }},
      {"square_root", [](double x) { return std::sqrt(x); }},
      {"exponential", [](double x) { return std::exp(x); }},
      {"logarithm", [](double x) { return std::log(x); }},
      {"logarithm_2", [](double x) { return std::log2(x); }},
      {"logarithm_10", [](double x) { return std::log10(x); }},
      {"logarithm_1_plus", [](double x) { return std::log1p(x); }},
      {"exponential_minus_1", [](double x) { return std::expm1(x); }},
      {"sine", [](double x) { return std::sin(x); }},
      {"cosine", [](double x) { return std::cos(x); }},
      {"tangent", [](double x) { return std::tan(x); }},
      {"arc_sine", [](double x) { return std::asin(x); }},
      {"arc_cosine", [](double x) { return std::acos(x); }},
      {"arc_tangent", [](double x) { return std::atan(x); }},
      {"hyperbolic_sine", [](double x) { return std::sinh(x); }},
      {"hyperbolic_cosine", [](double x) { return std::cosh(x); }},
      {"hyperbolic_tangent", [](double x) { return std::tanh(x); }},
      {"floor", [](double x) { return std::floor(x); }},
      {"ceiling", [](double x) { return std::ceil(x); }},
      {"truncate", [](double x) { return std::trunc(x); }}};
  for (const auto& one : functions) {
    const Reals found = calculate<double>(one.first.c_str(), {values});
    for (std::size_t i = 0; i < values.size(); ++i) CHECK(same(found[i], one.second(values[i])));
  }
}

TEST("operations of two real numbers are the standard library's") {
  const auto base = [](double x, double b) {
    return b == 2 ? std::log2(x) : b == 10 ? std::log10(x) : std::log(x) / std::log(b);
  };
  const std::map<std::string, std::function<double(double, double)>> functions = {
      {"add", [](double a, double b) { return a + b; }},
      {"subtract", [](double a, double b) { return a - b; }},
      {"multiply", [](double a, double b) { return a * b; }},
      {"divide", [](double a, double b) { return a / b; }},
      {"angle", [](double a, double b) { return std::atan2(a, b); }},
      {"lesser_of", [](double a, double b) { return b < a ? b : a; }},
      {"greater_of", [](double a, double b) { return b > a ? b : a; }},
      {"logarithm_to_base", base}};
  Reals left, right;
  for (double a : values)
    for (double b : values) left.push_back(a), right.push_back(b);
  for (const auto& one : functions) {
    const bool is_logarithm = one.first == "logarithm_to_base";
    const Reals found = calculate<double>(one.first.c_str(), {left, right});
    for (std::size_t i = 0; i < left.size(); ++i)
      if (!is_logarithm || (left[i] > 0 && right[i] > 0))
        CHECK(is_logarithm || one.first.find("_of") == std::string::npos
                  ? same(found[i], one.second(left[i], right[i]))
                  : found[i] == one.second(left[i], right[i]));
  }
}

TEST("texts are the same where they are one, numbers compare as numbers, and what is missing is unknown") {
  const char a = 'a', b = 'b', none = '-';
  const std::vector<Text> left = {&a, &a, &b, &none, &a}, right = {&a, &b, &a, &a, &none};
  using Whole = std::vector<std::int32_t>;
  const auto compare_texts = [&](const char* name) {
    Program program;
    const int one = program.add_input(Type::text), other = program.add_input(Type::text);
    program.add_output(program.add_operation(name, {one, other}));
    Whole result(left.size());
    RunOptions options;
    options.missing_text = &none;
    run_program(program, {left.data(), right.data()}, {result.data()}, result.size(), options, nothing);
    return result;
  };
  const std::int32_t na = missing_integer;
  CHECK(compare_texts("equal") == Whole({1, 0, 0, na, na}));
  CHECK(compare_texts("not_equal") == Whole({0, 1, 1, na, na}));
  const Reals x = {1, 2, 3, missing_real(), 1, infinity}, y = {2, 2, 2, 1, std::nan(""), infinity};
  CHECK(calculate<std::int32_t>("less", {x, y}) == Whole({1, 0, 0, na, na, 0}));
  CHECK(calculate<std::int32_t>("at_most", {x, y}) == Whole({1, 1, 0, na, na, 1}));
  CHECK(calculate<std::int32_t>("greater", {x, y}) == Whole({0, 0, 1, na, na, 0}));
  CHECK(calculate<std::int32_t>("at_least", {x, y}) == Whole({0, 1, 1, na, na, 1}));
  CHECK(calculate<std::int32_t>("equal", {x, y}) == Whole({0, 1, 0, na, na, 1}));
  CHECK(calculate<std::int32_t>("not_equal", {x, y}) == Whole({1, 0, 1, na, na, 0}));
}

TEST("operations of whole numbers keep what is missing, or take what is known") {
  using Whole = std::vector<std::int32_t>;
  const std::int32_t na = missing_integer;
  const Whole left = {3, -4, 0, na, 5, na, 7}, right = {2, 6, 0, 1, na, na, -7};
  const auto whole = [&](const char* name) {
    Program program;
    const int a = program.add_input(Type::integer), b = program.add_input(Type::integer);
    program.add_output(program.add_operation(name, {a, b}));
    Whole result(left.size());
    run_program(program, {left.data(), right.data()}, {result.data()}, result.size(), RunOptions(), nothing);
    return result;
  };
  CHECK(whole("add") == Whole({5, 2, 0, na, na, na, 0}));
  CHECK(whole("subtract") == Whole({1, -10, 0, na, na, na, 14}));
  CHECK(whole("multiply") == Whole({6, -24, 0, na, na, na, -49}));
  CHECK(whole("lesser_of") == Whole({2, -4, 0, na, na, na, -7}));
  CHECK(whole("greater_of") == Whole({3, 6, 0, na, na, na, 7}));
  CHECK(whole("add_known") == Whole({5, 2, 0, 1, 5, na, 0}));
  CHECK(whole("lesser_known") == Whole({2, -4, 0, 1, 5, na, -7}));
  CHECK(whole("greater_known") == Whole({3, 6, 0, 1, 5, na, 7}));
  CHECK(whole("whole_divide") == Whole({1, -1, na, na, na, na, -1}));
  CHECK(whole("modulus") == Whole({1, 2, na, na, na, na, 0}));
  CHECK(whole("less") == Whole({0, 1, 0, na, na, na, 0}));
  CHECK(whole("equal") == Whole({0, 0, 1, na, na, na, 0}));
}

TEST("constants are what they are, of each type") {
  const auto with_constant = [](const char* operation, Constant constant, auto value) {
    Program program;
    const int input = program.add_input(constant.type);
    program.add_output(program.add_operation(operation, {program.add_constant(constant), input}));
    decltype(value) result;
    run_program(program, {&value}, {&result}, 1, RunOptions(), nothing);
    return result;
  };
  for (std::int32_t value : {0, 1, missing_integer})
    CHECK(with_constant("and", Constant::of_logical(value), std::int32_t(1)) == value);
  CHECK(with_constant("add", Constant::of_integer(-7), std::int32_t(0)) == -7);
  CHECK(with_constant("add", Constant::of_real(2.5), 0.0) == 2.5);
}

TEST("of two real numbers the known one counts, or both") {
  const double na = missing_real();
  const Reals left = {3, na, 5, na, infinity}, right = {2, 1, na, na, -infinity};
  const Reals sums = calculate<double>("add_known", {left, right}),
              least = calculate<double>("lesser_known", {left, right}),
              greatest = calculate<double>("greater_known", {left, right});
  CHECK(sums[0] == 5 && sums[1] == 1 && sums[2] == 5 && std::isnan(sums[3]) && std::isnan(sums[4]));
  CHECK(least[0] == 2 && least[1] == 1 && least[2] == 5 && std::isnan(least[3]) && least[4] == -infinity);
  CHECK(greatest[0] == 3 && greatest[1] == 1 && greatest[2] == 5 && std::isnan(greatest[3]) && greatest[4] == infinity);
}

TEST("and, or and not are those of three values") {
  using Whole = std::vector<std::int32_t>;
  const Whole left = {0, 0, 0, 1, 1, 1, missing_integer, missing_integer, missing_integer};
  const Whole right = {0, 1, missing_integer, 0, 1, missing_integer, 0, 1, missing_integer};
  const auto logical = [&](const char* name, bool two) {
    Program program;
    const int a = program.add_input(Type::logical), b = program.add_input(Type::logical);
    program.add_output(program.add_operation(name, two ? std::vector<int>{a, b} : std::vector<int>{a}));
    Whole result(left.size());
    run_program(program, {left.data(), right.data()}, {result.data()}, result.size(), RunOptions(), nothing);
    return result;
  };
  const std::int32_t na = missing_integer;
  CHECK(logical("and", true) == Whole({0, 0, 0, 0, 1, na, 0, na, na}));
  CHECK(logical("or", true) == Whole({0, 1, na, 1, 1, 1, na, 1, na}));
  CHECK(logical("not", false) == Whole({1, 1, 1, 0, 0, 0, na, na, na}));
}

TEST("what is missing, infinite or no number is seen") {
  const Reals some = {1, missing_real(), std::nan(""), infinity, -infinity, 0};
  using Whole = std::vector<std::int32_t>;
  CHECK(calculate<std::int32_t>("is_missing", {some}) == Whole({0, 1, 1, 0, 0, 0}));
  CHECK(calculate<std::int32_t>("is_not_a_number", {some}) == Whole({0, 0, 1, 0, 0, 0}));
  CHECK(calculate<std::int32_t>("is_infinite", {some}) == Whole({0, 0, 0, 1, 1, 0}));
  CHECK(calculate<std::int32_t>("is_finite", {some}) == Whole({1, 0, 0, 0, 0, 1}));
}
