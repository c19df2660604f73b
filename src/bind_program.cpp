// Runs a program of the core on R vectors.

#include <Rcpp.h>

#include "bind.h"
#include "program.h"

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

}  // namespace

// Registers are numbered from 0: the inputs, the constants, then the operations in order. `operands`
// has the registers that each operation reads; `wanted` is -1 or a register, an operation.
// [[Rcpp::export]]
Rcpp::List run_program_cpp(Rcpp::List inputs, Rcpp::List constants, Rcpp::CharacterVector operations,
                           Rcpp::List operands, Rcpp::IntegerVector wanted, Rcpp::IntegerVector outputs,
                           double rows, int threads, int block_rows) {
  Program program;
  Rcpp::List columns(inputs.size()), values(constants.size());
  std::vector<const void*> addresses;
  for (R_xlen_t k = 0; k < inputs.size(); ++k) {
    SEXP input = inputs[k];
    columns[k] = TYPEOF(input) == STRSXP ? with_comparable_texts(input) : Rcpp::RObject(input);
    if (Rf_xlength(columns[k]) != static_cast<R_xlen_t>(rows)) Rcpp::stop("an input has another number of rows");
    program.add_input(type_of_vector(columns[k]));
    addresses.push_back(address_of(columns[k]));
  }
  for (R_xlen_t k = 0; k < constants.size(); ++k) {
    SEXP value = constants[k];
    values[k] = TYPEOF(value) == STRSXP ? with_comparable_texts(value) : Rcpp::RObject(value);
    program.add_constant(constant_of(values[k]));
  }
  for (R_xlen_t k = 0; k < operations.size(); ++k)
    program.add_operation(Rcpp::as<std::string>(operations[k]), Rcpp::as<std::vector<int>>(operands[k]), wanted[k]);
  for (int output : outputs) program.add_output(output);

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

  Rcpp::NumericVector overflow_rows, overflow_first;
  Rcpp::IntegerVector overflow_register;
  for (std::size_t k = 0; k < overflows.size(); ++k) {
    if (!overflows[k].rows) continue;
    overflow_register.push_back(static_cast<int>(k));
    overflow_rows.push_back(static_cast<double>(overflows[k].rows));
    overflow_first.push_back(static_cast<double>(overflows[k].first_row + 1));
  }
  return Rcpp::List::create(Rcpp::Named("columns") = results,
                            Rcpp::Named("overflow_register") = overflow_register,
                            Rcpp::Named("overflow_rows") = overflow_rows,
                            Rcpp::Named("overflow_first") = overflow_first);
}
