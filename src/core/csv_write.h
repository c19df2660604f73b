#pragma once
// Writing CSV: RFC 4180, fields quoted only where they must be, numbers in their shortest exact form.

#include <cstdint>
#include <string>
#include <string_view>

namespace rowanroot {

// Each adds one field. Missing values are written as nothing.
void write_field(std::string_view text, char separator, std::string* to);
void write_field(std::int32_t value, bool is_logical, std::string* to);
void write_field(double value, std::string* to);

}  // namespace rowanroot
