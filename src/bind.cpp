#include "bind.h"

#include <R_ext/Rallocators.h>
#ifdef __linux__
#include <sys/mman.h>

#include <cstdlib>
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

#ifdef __linux__
// Getting memory page by page costs more than most formulas do.
void* get_large_pages(R_allocator_t*, size_t bytes) {
  constexpr std::size_t page = 1 << 21;
  void* memory = nullptr;
  if (posix_memalign(&memory, page, bytes) != 0) return nullptr;
  madvise(memory, bytes & ~(page - 1), MADV_HUGEPAGE);
  return memory;
}

void give_back(R_allocator_t*, void* memory) { std::free(memory); }

R_allocator_t large_pages = {get_large_pages, give_back, nullptr, nullptr};
#endif

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
    case LGLSXP: return LOGICAL(x);
    case INTSXP: return INTEGER(x);
    case REALSXP: return REAL(x);
    default: return STRING_PTR_RO(x);
  }
}

void* writable_address(SEXP x) { return const_cast<void*>(address_of(x)); }

SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
#ifdef __linux__
  const std::size_t wide = type == REALSXP || type == STRSXP ? 8 : 4;
  if (static_cast<std::size_t>(n) * wide >= (4u << 20)) return Rf_allocVector3(type, n, &large_pages);
#endif
  return Rf_allocVector(type, n);
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
