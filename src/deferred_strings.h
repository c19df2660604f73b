#pragma once
// Character vectors whose strings are made when they are used. R's own code sees ordinary ones.

#include <Rcpp.h>

#include <memory>

// Numbers from 1 into a vector of texts; NA for what is missing. Looking at one makes nothing new.
SEXP new_coded_texts(SEXP codes, SEXP texts);
// Both NULL, or the parts of such a vector, as long as nobody wrote to it.
struct CodedTexts {
  SEXP codes = R_NilValue, texts = R_NilValue;
  explicit operator bool() const { return codes != R_NilValue; }
};
CodedTexts coded_texts_of(SEXP x);

// Pieces of other texts, which are in UTF-8: where each begins, from 0, and its size, in bytes; a size of NA is a
// missing text.
SEXP new_cut_texts(SEXP source, SEXP starts, SEXP sizes);

// Pieces of texts which may be yet to be made: then they are pieces of what these are made of. `starts` are changed.
SEXP new_pieces_of(SEXP texts, SEXP starts, SEXP sizes);

// Makes all strings of such a vector, so that the user can stop it, which R does not allow while it looks itself.
void make_texts(SEXP x);

// Texts that are written on pages, raw vectors in a list: where each begins on its page, and its size, in bytes. Pages
// have the texts of so many rows each, or else `first_rows` has the row, from 0, at which each begins.
constexpr R_xlen_t texts_on_page = 1 << 16;
SEXP new_written_texts(SEXP pages, SEXP starts, SEXP sizes, SEXP first_rows = R_NilValue);

// Texts of several vectors, which are in UTF-8, one after the other, with a text between them. A row where one is
// missing is missing. A vector of one text is for every row.
SEXP new_joined_texts(SEXP columns, SEXP with, R_xlen_t rows);

// Whether strings of the vector are yet to be made; they will be in UTF-8.
bool are_deferred(SEXP texts);

// The texts in these rows, from 0, or missing where the row is less, if strings of the vector are yet to be made; else
// NULL.
SEXP texts_in_rows(SEXP column, const std::int32_t* rows, R_xlen_t count, int threads);

// The bytes of a text in UTF-8; null for a missing one.
struct TextBytes {
  const char* bytes;
  int size;
};

// Reads texts of a vector, which are in UTF-8, so many at once at most, and makes no strings of deferred ones. The
// bytes are there until more are read.
constexpr R_xlen_t text_batch = 64;
class TextReader {
 public:
  virtual ~TextReader() = default;
  virtual void read(R_xlen_t first, R_xlen_t count, TextBytes* texts) = 0;
  // Whether reading asks nothing of R, so that any thread may.
  virtual bool is_for_threads() const { return true; }
};
std::unique_ptr<TextReader> new_text_reader(SEXP texts);
