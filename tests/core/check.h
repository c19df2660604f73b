#pragma once
// The smallest thing that counts checks and shows those that fail.

#include <functional>
#include <iostream>
#include <string>
#include <vector>

struct Test {
  std::string title;
  std::function<void()> body;
};

inline std::vector<Test>& all_tests() {
  static std::vector<Test> tests;
  return tests;
}

struct AddTest {
  AddTest(const std::string& title, std::function<void()> body) { all_tests().push_back({title, body}); }
};

inline int checks_passed = 0;
inline int checks_failed = 0;

inline void check(bool holds, const char* code, const char* file, int line) {
  if (holds) {
    ++checks_passed;
    return;
  }
  ++checks_failed;
  std::cerr << file << ":" << line << ": not true: " << code << "\n";
}

#define CHECK(condition) check((condition), #condition, __FILE__, __LINE__)
#define JOIN_(a, b) a##b
#define JOIN(a, b) JOIN_(a, b)
#define TEST(title)                                                    \
  static void JOIN(test_, __LINE__)();                                 \
  static const AddTest JOIN(add_, __LINE__)(title, JOIN(test_, __LINE__)); \
  static void JOIN(test_, __LINE__)()

// Whether the code throws an Exception for which the condition holds.
template <class Exception>
bool throws(const std::function<void()>& code, const std::function<bool(const Exception&)>& fits = nullptr) {
  try {
    code();
  } catch (const Exception& error) {
    return !fits || fits(error);
  }
  return false;
}
