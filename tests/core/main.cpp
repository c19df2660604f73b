#include "check.h"

int main() {
  for (const Test& test : all_tests()) {
    const int before = checks_failed;
    try {
      test.body();
    } catch (const std::exception& error) {
      ++checks_failed;
      std::cerr << test.title << ": " << error.what() << "\n";
    }
    if (checks_failed > before) std::cerr << "FAILED: " << test.title << "\n";
  }
  std::cout << "core: " << checks_passed << " checks passed, " << checks_failed << " failed\n";
  return checks_failed || !checks_passed;
}
