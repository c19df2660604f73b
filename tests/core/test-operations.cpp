// Each operation of real numbers, value by value, beside what the standard library gives.
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
