// Runs a program of the core on R vectors.

#include <Rcpp.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <utility>
#include <vector>

#include "bind.h"
#include "program.h"
#include "recurrence.h"

namespace {

using namespace rowanroot;

SEXPTYPE vector_of_type(Type type) {
  switch (type) {
    case Type::logical: return LGLSXP;
    case Type::integer: return INTSXP;
    case Type::real: return REALSXP;
    default: return STRSXP;
  }
}

Constant constant_of(SEXP x) {
  switch (type_of_vector(x)) {
    case Type::logical: return Constant::of_logical(LOGICAL(x)[0]);
    case Type::integer: return Constant::of_integer(INTEGER(x)[0]);
    case Type::real: return Constant::of_real(REAL(x)[0]);
    default: return Constant::of_text(STRING_ELT(x, 0));
  }
}

// The part of a list that has this name.
SEXP part(SEXP list, const char* name) {
  SEXP names = Rf_getAttrib(list, R_NamesSymbol);
  for (R_xlen_t k = 0; k < Rf_xlength(names); ++k)
    if (std::strcmp(CHAR(STRING_ELT(names, k)), name) == 0) return VECTOR_ELT(list, k);
  return R_NilValue;
}

std::string text_part(SEXP list, const char* name) { return CHAR(STRING_ELT(part(list, name), 0)); }

// Makes a program of typed nodes (see tree-node.R).
class Compiler {
 public:
  // The run's slots: their values, what is yet to be calculated, and which of these count overflows.
  Compiler(SEXP values, SEXP pending, Rcpp::LogicalVector counting)
      : values_(values), pending_(pending), counting_(counting) {}

  // The number of the output that has this node's values.
  int add_output(SEXP node) {
    int number = emit(node, -1);
    if (!program.is_operation(number)) number = program.add_operation("copy", {number});
    return program.add_output(number);
  }

  // The input register of the row above, of this type, of the next column of a recurrence.
  int add_above(Type type) {
    inputs.push_back(R_NilValue);
    above_.push_back(program.add_input(type));
    return above_.back();
  }

  Program program;
  std::vector<Rcpp::RObject> inputs;
  // The line of the script that each register's operation comes from.
  std::map<int, SEXP> lines;

 private:
  // `wanted` is the register of the rows whose result is used: it matters to what counts its overflows.
  int emit(SEXP node, int wanted) {
    const std::string kind = text_part(node, "kind");
    if (kind == "slot") return emit_slot(Rf_asInteger(part(node, "id")) - 1, wanted);
    if (kind == "above") return above_.at(static_cast<std::size_t>(Rf_asInteger(part(node, "of")) - 1));
    if (kind == "classed") return emit(part(node, "of"), wanted);
    if (kind == "shared") return emit_shared(node, wanted);
    if (kind == "constant") return program.add_constant(constant_of(kept(part(node, "value"))));
    if (kind == "choose") return emit_choose(node, wanted);
    std::vector<int> operands;
    SEXP given = part(node, "operands");
    const std::string name = text_part(node, "name");
    if (name == "and_then" || name == "or_else") return emit_lazy(name == "and_then", given, wanted);
    for (R_xlen_t k = 0; k < Rf_xlength(given); ++k) operands.push_back(emit(VECTOR_ELT(given, k), wanted));
    const int number = program.add_operation(name, operands, wanted);
    lines.emplace(number, part(node, "line"));
    return number;
  }

  // What a function of one row was given, or names within itself, is calculated only for the rows that use it.
  int emit_slot(int id, int wanted) {
    SEXP pending = VECTOR_ELT(pending_, id);
    if (pending == R_NilValue || !counts(id)) wanted = -1;
    const auto key = std::make_pair(id, wanted);
    const auto known = slots_.find(key);
    if (known != slots_.end()) return known->second;
    const int number = pending == R_NilValue ? add_input(id) : emit(pending, wanted);
    slots_.emplace(key, number);
    return number;
  }

  int emit_shared(SEXP node, int wanted) {
    const auto key = std::make_pair(text_part(node, "id"), wanted);
    const auto known = shared_.find(key);
    if (known != shared_.end()) return known->second;
    const int number = emit(shared_part(node), wanted);
    shared_.emplace(key, number);
    return number;
  }

  static SEXP shared_part(SEXP node) { return Rf_findVarInFrame(part(node, "part"), Rf_install("node")); }

  int add_input(int id) {
    Rcpp::RObject column = kept(VECTOR_ELT(values_, id));
    inputs.push_back(column);
    return program.add_input(type_of_vector(column));
  }

  int emit_choose(SEXP node, int wanted) {
    const int condition = emit(part(node, "condition"), wanted);
    const auto branch = [&](const char* side, const char* rows) {
      SEXP value = part(node, side);
      if (!counts_overflows(value)) return emit(value, -1);
      const int outer = wanted >= 0 ? wanted : program.add_constant(Constant::of_logical(1));
      return emit(value, program.add_operation(rows, {condition, outer}));
    };
    const int yes = branch("yes", "want_yes");
    const int no = branch("no", "want_no");
    return program.add_operation("choose", {condition, yes, no});
  }

  // `&&` and `||` look at their right side only where the left does not decide.
  int emit_lazy(bool is_and, SEXP operands, int wanted) {
    const int left = emit(VECTOR_ELT(operands, 0), wanted);
    SEXP right = VECTOR_ELT(operands, 1);
    if (counts_overflows(right)) {
      const int outer = wanted >= 0 ? wanted : program.add_constant(Constant::of_logical(1));
      wanted = program.add_operation(is_and ? "want_not_no" : "want_not_yes", {left, outer});
    }
    return program.add_operation(is_and ? "and" : "or", {left, emit(right, wanted)});
  }

  bool counts(int id) const { return id < counting_.size() && counting_[id] == 1; }

  bool counts_overflows(SEXP node) {
    const std::string kind = text_part(node, "kind");
    if (kind == "slot") return counts(Rf_asInteger(part(node, "id")) - 1);
    if (kind == "shared") {
      const std::string id = text_part(node, "id");
      const auto known = shared_counts_.find(id);
      if (known != shared_counts_.end()) return known->second;
      return shared_counts_[id] = counts_overflows(shared_part(node));
    }
    if (kind == "classed") return counts_overflows(part(node, "of"));
    if (kind == "choose")
      return counts_overflows(part(node, "condition")) || counts_overflows(part(node, "yes")) ||
             counts_overflows(part(node, "no"));
    if (kind != "operation") return false;
    if (text_part(node, "type") == "integer") return true;
    SEXP operands = part(node, "operands");
    for (R_xlen_t k = 0; k < Rf_xlength(operands); ++k)
      if (counts_overflows(VECTOR_ELT(operands, k))) return true;
    return false;
  }

  Rcpp::RObject kept(SEXP x) {
    if (TYPEOF(x) != STRSXP) return x;
    Rcpp::RObject comparable = with_comparable_texts(x);
    if (comparable != x) translated_.push_back(comparable);
    return comparable;
  }

  std::vector<int> above_;
  SEXP values_, pending_;
  Rcpp::LogicalVector counting_;
  std::vector<Rcpp::RObject> translated_;
  std::map<std::pair<int, int>, int> slots_;
  // Parts of a recurrence that occur several times.
  std::map<std::pair<std::string, int>, int> shared_;
  std::map<std::string, bool> shared_counts_;
};

}  // namespace

// Calculates typed nodes, all in one pass. `likes` has for each node a vector with the class of its values, or NULL.
// `values`, `pending` and `counting` are the run's slots. Gives a vector for each node, and for each operation that
// overflowed its line, the number of rows and the first.
// [[Rcpp::export]]
Rcpp::List run_program_cpp(Rcpp::List nodes, Rcpp::List likes, Rcpp::List values, Rcpp::List pending,
                           Rcpp::LogicalVector counting, double rows, int threads, int block_rows) {
  Compiler compiler(values, pending, counting);
  std::vector<int> output_of_node;
  for (R_xlen_t k = 0; k < nodes.size(); ++k) output_of_node.push_back(compiler.add_output(nodes[k]));
  const Program& program = compiler.program;
  std::vector<const void*> addresses;
  for (const Rcpp::RObject& input : compiler.inputs) {
    if (Rf_xlength(input) != static_cast<R_xlen_t>(rows)) Rcpp::stop("an input has another number of rows");
    addresses.push_back(address_of(input));
  }

  RunOptions options;
  options.schedule.block_rows = block_rows;
  options.schedule.threads = thread_count(static_cast<R_xlen_t>(rows), threads);
  options.missing_text = NA_STRING;
  Rcpp::List results(program.output_count());
  std::vector<void*> result_addresses;
  for (std::size_t k = 0; k < program.output_count(); ++k) {
    results[k] = new_vector(vector_of_type(program.output_type(static_cast<int>(k))), static_cast<R_xlen_t>(rows));
    result_addresses.push_back(writable_address(results[k]));
  }
  const std::vector<Overflow> overflows =
      run_program(program, addresses, result_addresses, static_cast<std::size_t>(rows), options,
                  [](std::size_t, std::size_t) { Rcpp::checkUserInterrupt(); });

  Rcpp::List columns(nodes.size()), overflow_lines;
  if (likes.size() != nodes.size()) Rcpp::stop("not as many likes as nodes");
  // A column with a class can't stand for another one too.
  std::vector<int> given(program.output_count(), 0);
  for (int output : output_of_node) ++given[output];
  for (R_xlen_t k = 0; k < nodes.size(); ++k) {
    const bool has_class = likes[k] != R_NilValue;
    SEXP column = results[output_of_node[k]];
    columns[k] = has_class && given[output_of_node[k]] > 1 ? Rf_duplicate(column) : column;
    if (has_class) Rf_copyMostAttrib(likes[k], columns[k]);
  }
  Rcpp::NumericVector overflow_rows, overflow_first;
  for (std::size_t k = 0; k < overflows.size(); ++k) {
    if (!overflows[k].rows) continue;
    overflow_lines.push_back(compiler.lines.at(static_cast<int>(k)));
    overflow_rows.push_back(static_cast<double>(overflows[k].rows));
    overflow_first.push_back(static_cast<double>(overflows[k].first_row + 1));
  }
  return Rcpp::List::create(Rcpp::Named("columns") = columns, Rcpp::Named("overflow_lines") = overflow_lines,
                            Rcpp::Named("overflow_rows") = overflow_rows,
                            Rcpp::Named("overflow_first") = overflow_first);
}

// A recurrence: `nodes` give for each row what `starts`, one value each, give for the row before a group's first, or
// `group_starts` for each group's. `order` has the rows from 0 or is NULL, `of_row` their groups or NULL.
// [[Rcpp::export]]
Rcpp::List run_recurrence_cpp(Rcpp::List nodes, Rcpp::List starts, Rcpp::List group_starts, Rcpp::List values,
                              double rows, SEXP order, SEXP of_row, int groups) {
  const Rcpp::List pending(values.size());
  Compiler compiler(values, pending, Rcpp::LogicalVector());
  std::vector<Rcpp::RObject> kept;
  const auto comparable = [&](SEXP x) {
    kept.push_back(TYPEOF(x) == STRSXP ? with_comparable_texts(x) : Rcpp::RObject(x));
    return static_cast<SEXP>(kept.back());
  };
  std::vector<Link> links;
  for (R_xlen_t k = 0; k < nodes.size(); ++k) {
    SEXP first = comparable(starts[k]), of_groups = comparable(group_starts[k]);
    links.push_back({-1, compiler.add_above(type_of_vector(first)), constant_of(first),
                     of_groups == R_NilValue ? nullptr : address_of(of_groups), nullptr});
  }
  for (R_xlen_t k = 0; k < nodes.size(); ++k) links[k].output = compiler.add_output(nodes[k]);
  std::vector<const void*> addresses;
  for (const Rcpp::RObject& input : compiler.inputs) {
    addresses.push_back(input == R_NilValue ? nullptr : address_of(input));
  }
  const Sequence sequence = sequence_of(rows, order, of_row, groups);
  Rcpp::List results(nodes.size());
  for (R_xlen_t k = 0; k < nodes.size(); ++k) {
    const Type type = compiler.program.output_type(links[k].output);
    results[k] = new_vector(vector_of_type(type), static_cast<R_xlen_t>(rows));
    links[k].result = writable_address(results[k]);
  }
  const Overflow overflow = run_recurrence(compiler.program, links, addresses, sequence, NA_STRING);
  return Rcpp::List::create(Rcpp::Named("values") = results,
                            Rcpp::Named("overflow_rows") = static_cast<double>(overflow.rows),
                            Rcpp::Named("overflow_first") = overflow.first_row + 1.0);
}

// How many calls stand within each other in a piece of code. It may have more levels than there is stack for.
// [[Rcpp::export]]
double code_levels_cpp(SEXP code) {
  std::vector<std::pair<SEXP, double>> open = {{code, 1}};
  double most = 0;
  while (!open.empty()) {
    const auto [call, level] = open.back();
    open.pop_back();
    most = std::max(most, level);
    for (SEXP part = CDR(call); part != R_NilValue; part = CDR(part))
      if (TYPEOF(CAR(part)) == LANGSXP) open.push_back({CAR(part), level + 1});
  }
  return most;
}
