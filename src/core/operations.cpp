#include "operations.h"

#include <algorithm>
#include <map>
#include <stdexcept>
#include <utility>

namespace rowanroot {
namespace {

using Key = std::pair<std::string, std::vector<Type>>;

std::map<Key, Operation> all_operations() {
  std::map<Key, Operation> table;
  for (Operations part : {arithmetic_operations(), comparison_operations(), logic_operations(),
                          mathematics_operations(), conversion_operations(), rounding_operations()})
    for (Operation& operation : part) {
      Key key(operation.name, operation.operands);
      table.emplace(std::move(key), std::move(operation));
    }
  return table;
}

const char* name_of(Type type) {
  switch (type) {
    case Type::logical: return "logical";
    case Type::integer: return "integer";
    case Type::real: return "real";
    case Type::text: return "text";
    case Type::long_integer: return "long integer";
  }
  return "unknown";
}

}  // namespace

const Operation& find_operation(const std::string& name, const std::vector<Type>& operands) {
  static const std::map<Key, Operation> table = all_operations();
  const auto found = table.find(Key(name, operands));
  if (found == table.end()) {
    std::string types;
    for (Type type : operands) types += (types.empty() ? "" : ", ") + std::string(name_of(type));
    throw std::invalid_argument("no operation " + name + "(" + types + ")");
  }
  return found->second;
}

}  // namespace rowanroot
