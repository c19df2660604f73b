#include "bind.h"

#include <R_ext/Rallocators.h>

#include <thread>

#include "deferred_strings.h"
#include "memory.h"

using namespace rowanroot;

namespace {

// Fewer rows are done before a second thread has started.
constexpr R_xlen_t rows_worth_a_thread = 200000;

bool is_ascii(SEXP text) {
  for (const char* c = CHAR(text); *c; ++c)
    if (static_cast<unsigned char>(*c) > 127) return false;
  return true;
}

// What R will ask for next: it can say only that there is no memory, and not why.
struct {
  void* memory = nullptr;
  std::size_t bytes = 0;
} reserved;

void reserve(std::size_t bytes) {
  if (reserved.memory) give_counted_back(reserved.memory);
  reserved = {get_memory(bytes), bytes};
  if (!reserved.memory) throw OutOfMemory();
}

void* get_large(R_allocator_t*, size_t bytes) {
  if (!reserved.memory || bytes > reserved.bytes) return get_memory(bytes);
  void* const memory = reserved.memory;
  reserved.memory = nullptr;
  return memory;
}
void give_back(R_allocator_t*, void* memory) { give_counted_back(memory); }
R_allocator_t large_memory = {get_large, give_back, nullptr, nullptr};

}  // namespace

Type type_of_vector(SEXP x) {
  switch (TYPEOF(x)) {
    case LGLSXP: return Type::logical;
    case INTSXP: return Type::integer;
    case REALSXP: return Type::real;
    case STRSXP: return Type::text;
    default: Rcpp::stop("the engine has no type for this vector");
  }
}

Type type_of_column(SEXP x) { return Rf_inherits(x, "integer64") ? Type::long_integer : type_of_vector(x); }

const void* address_of(SEXP x) {
  switch (TYPEOF(x)) {
    case LGLSXP: return LOGICAL_RO(x);
    case INTSXP: return INTEGER_RO(x);
    case REALSXP: return REAL_RO(x);
    default:
      make_texts(x);
      return STRING_PTR_RO(x);
  }
}

// R gives a vector that others have too a copy here.
void* writable_address(SEXP x) {
  switch (TYPEOF(x)) {
    case LGLSXP: return LOGICAL(x);
    case INTSXP: return INTEGER(x);
    case REALSXP: return REAL(x);
    default: return const_cast<void*>(address_of(x));
  }
}

void give_attributes(const Rcpp::List& columns, const Rcpp::LogicalVector& are_new, const Rcpp::List& to) {
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    if (are_new[k] && ATTRIB(column) != R_NilValue) SHALLOW_DUPLICATE_ATTRIB(to[k], column);
  }
}

SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
  const std::size_t value = type == REALSXP || type == STRSXP ? 8 : type == RAWSXP ? 1 : 4;
  const std::size_t bytes = static_cast<std::size_t>(n) * value;
  if (bytes < counted_region) return Rf_allocVector(type, n);
  // With the head of a vector.
  reserve(bytes + 256);
  return Rf_allocVector3(type, n, &large_memory);
}

Rcpp::CharacterVector strings_of(const std::vector<std::string>& texts) {
  Rcpp::CharacterVector strings(static_cast<R_xlen_t>(texts.size()));
  for (std::size_t k = 0; k < texts.size(); ++k)
    strings[static_cast<R_xlen_t>(k)] =
        Rf_mkCharLenCE(texts[k].data(), static_cast<int>(texts[k].size()), CE_UTF8);
  return strings;
}

bool is_comparable(SEXP text) {
  if (text == NA_STRING) return true;
  const cetype_t encoding = Rf_getCharCE(text);
  return encoding == CE_UTF8 || encoding == CE_BYTES || (encoding == CE_NATIVE && is_ascii(text));
}

Rcpp::RObject with_comparable_texts(SEXP x) {
  make_texts(x);
  const SEXP* texts = STRING_PTR_RO(x);
  const R_xlen_t n = Rf_xlength(x);
  // Repeated texts are looked at once, as long as they stay in this small table.
  std::vector<SEXP> fine(4096, nullptr);
  R_xlen_t first = 0;
  for (; first < n; ++first) {
    SEXP& known = fine[(reinterpret_cast<std::uintptr_t>(texts[first]) >> 4) % fine.size()];
    if (known == texts[first]) continue;
    if (!is_comparable(texts[first])) break;
    known = texts[first];
  }
  if (first == n) return x;
  Rcpp::RObject copy(Rf_duplicate(x));
  for (R_xlen_t i = first; i < n; ++i) {
    SEXP text = STRING_ELT(copy, i);
    if (!is_comparable(text)) SET_STRING_ELT(copy, i, Rf_mkCharCE(Rf_translateCharUTF8(text), CE_UTF8));
  }
  return copy;
}

Workers thread_count(R_xlen_t rows, int asked) {
  const auto look_up = [] { Rcpp::checkUserInterrupt(); };
  if (asked > 0) return {asked, look_up};
  const int cores = static_cast<int>(std::max(std::thread::hardware_concurrency(), 1u));
  return {static_cast<int>(std::min<R_xlen_t>(cores, 1 + rows / rows_worth_a_thread)), look_up};
}

const std::int32_t* integers_or_null(SEXP x) { return x == R_NilValue ? nullptr : INTEGER(x); }

Sequence sequence_of(double rows, SEXP order, SEXP of_row, int groups) {
  Sequence sequence;
  sequence.rows = static_cast<std::size_t>(rows);
  sequence.order = integers_or_null(order);
  sequence.group_of_row = integers_or_null(of_row);
  sequence.groups = sequence.group_of_row ? static_cast<std::size_t>(groups) : 1;
  sequence.threads = thread_count(0, 1);
  return sequence;
}
