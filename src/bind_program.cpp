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

// The result vectors of a run. R has to be told of each text that it gets, and on its own thread: so
// texts arrive in a buffer of one round, and are handed over between the rounds.
class Results {
 public:
  Results(const Program& program, R_xlen_t rows, const Schedule& schedule) : columns_(program.output_count()) {
    const std::size_t round_rows = schedule.block_rows * schedule.blocks_per_round;
    for (std::size_t k = 0; k < program.output_count(); ++k) {
      const Type type = program.output_type(static_cast<int>(k));
      columns_[k] = Rf_allocVector(vector_of_type(type), rows);
      texts_.emplace_back(type == Type::text ? std::min<std::size_t>(round_rows, rows) : 0);
      addresses_.push_back(type == Type::text ? static_cast<void*>(texts_[k].data())
                                              : const_cast<void*>(address_of(columns_[k])));
    }
  }

  const std::vector<void*>& addresses() const { return addresses_; }
  Rcpp::List columns() const { return columns_; }

  void take_texts(std::size_t first, std::size_t last) {
    for (std::size_t k = 0; k < texts_.size(); ++k) {
      if (texts_[k].empty()) continue;
      SEXP column = columns_[k];
      for (std::size_t i = first; i < last; ++i)
        SET_STRING_ELT(column, i, static_cast<SEXP>(const_cast<void*>(texts_[k][i - first])));
    }
  }

 private:
  Rcpp::List columns_;
  std::vector<std::vector<Text>> texts_;
  std::vector<void*> addresses_;
};

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
  Results results(program, static_cast<R_xlen_t>(rows), options.schedule);
  const std::vector<Overflow> overflows =
      run_program(program, addresses, results.addresses(), static_cast<std::size_t>(rows), options,
                  [&](std::size_t first, std::size_t last) {
                    results.take_texts(first, last);
                    Rcpp::checkUserInterrupt();
                  });

  Rcpp::NumericVector overflow_rows, overflow_first;
  Rcpp::IntegerVector overflow_register;
  for (std::size_t k = 0; k < overflows.size(); ++k) {
    if (!overflows[k].rows) continue;
    overflow_register.push_back(static_cast<int>(k));
    overflow_rows.push_back(static_cast<double>(overflows[k].rows));
    overflow_first.push_back(static_cast<double>(overflows[k].first_row + 1));
  }
  return Rcpp::List::create(Rcpp::Named("columns") = results.columns(),
                            Rcpp::Named("overflow_register") = overflow_register,
                            Rcpp::Named("overflow_rows") = overflow_rows,
                            Rcpp::Named("overflow_first") = overflow_first);
}
