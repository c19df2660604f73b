#include "bind.h"

#ifdef __linux__
#include <sys/mman.h>
#endif

#include <thread>

using namespace rowanroot;

namespace {

// Fewer rows are done before a second thread has started.
constexpr R_xlen_t rows_worth_a_thread = 200000;

bool is_ascii(SEXP text) {
  for (const char* c = CHAR(text); *c; ++c)
    if (static_cast<unsigned char>(*c) > 127) return false;
  return true;
}

// The same text has one address per encoding: only ASCII and UTF-8 can be compared by address.
bool comparable(SEXP text) {
  if (text == NA_STRING) return true;
  const cetype_t encoding = Rf_getCharCE(text);
  return encoding == CE_UTF8 || encoding == CE_BYTES || (encoding == CE_NATIVE && is_ascii(text));
}

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

const void* address_of(SEXP x) {
  switch (TYPEOF(x)) {
    case LGLSXP: return LOGICAL(x);
    case INTSXP: return INTEGER(x);
    case REALSXP: return REAL(x);
    default: return STRING_PTR_RO(x);
  }
}

void* writable_address(SEXP x) { return const_cast<void*>(address_of(x)); }

SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
  SEXP x = Rf_allocVector(type, n);
#ifdef __linux__
  // Getting memory page by page costs more than most formulas do. Texts have been filled in already.
  constexpr std::uintptr_t page = 1 << 21;
  if (type != STRSXP && n > (1 << 20)) {
    const std::uintptr_t start = reinterpret_cast<std::uintptr_t>(address_of(x));
    const std::uintptr_t end = start + n * rowanroot::width(type_of_vector(x));
    const std::uintptr_t first = (start + page - 1) & ~(page - 1), last = end & ~(page - 1);
    if (last > first) madvise(reinterpret_cast<void*>(first), last - first, MADV_HUGEPAGE);
  }
#endif
  return x;
}

Rcpp::RObject with_comparable_texts(SEXP x) {
  const SEXP* texts = STRING_PTR_RO(x);
  const R_xlen_t n = Rf_xlength(x);
  // Repeated texts are looked at once, as long as they stay in this small table.
  std::vector<SEXP> fine(4096, nullptr);
  R_xlen_t first = 0;
  for (; first < n; ++first) {
    SEXP& known = fine[(reinterpret_cast<std::uintptr_t>(texts[first]) >> 4) % fine.size()];
    if (known == texts[first]) continue;
    if (!comparable(texts[first])) break;
    known = texts[first];
  }
  if (first == n) return x;
  Rcpp::RObject copy(Rf_duplicate(x));
  for (R_xlen_t i = first; i < n; ++i) {
    SEXP text = STRING_ELT(copy, i);
    if (!comparable(text)) SET_STRING_ELT(copy, i, Rf_mkCharCE(Rf_translateCharUTF8(text), CE_UTF8));
  }
  return copy;
}

int thread_count(R_xlen_t rows, int asked) {
  if (asked > 0) return asked;
  const int cores = static_cast<int>(std::max(std::thread::hardware_concurrency(), 1u));
  return static_cast<int>(std::min<R_xlen_t>(cores, 1 + rows / rows_worth_a_thread));
}
