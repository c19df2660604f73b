# Files that are compressed, or in another encoding, are read from a copy in UTF-8 that is there meanwhile.

csv_encodings <- c("UTF-8", "latin1", "windows-1252", "UTF-16")

# Calls `read` with paths of files that the core can read.
with_readable_files <- function(options, files, read, call, only_header = FALSE) {
  copies <- rep(NA_character_, nrow(files))
  on.exit(remove_files(copies[!is.na(copies)]))
  for (k in seq_len(nrow(files))) {
    kind <- file_kind(files$path[k], options$encoding)
    if (!kind$is_compressed && kind$encoding == "UTF-8") next
    copies[k] <- tempfile(fileext = ".csv")
    copy_in_utf8(files$path[k], copies[k], kind, files$name[k], call, only_header)
  }
  read(ifelse(is.na(copies), files$path, copies))
}

# What the first bytes show: gzip, or UTF-16, whose mark no other text begins with.
file_kind <- function(path, encoding) {
  kind <- list(is_compressed = identical(first_bytes(file(path, "rb"), 2), as.raw(c(0x1f, 0x8b))), encoding = encoding)
  start <- first_bytes(if (kind$is_compressed) gzfile(path, "rb") else file(path, "rb"), 2)
  if (identical(start, as.raw(c(0xff, 0xfe)))) kind$encoding <- "UTF-16LE"
  else if (identical(start, as.raw(c(0xfe, 0xff)))) kind$encoding <- "UTF-16BE"
  else if (encoding == "UTF-16") kind$encoding <- "UTF-16LE"
  kind
}

first_bytes <- function(connection, count) {
  on.exit(close(connection))
  readBin(connection, raw(), count)
}

copy_in_utf8 <- function(path, copy, kind, name, call, only_header) {
  from <- if (kind$is_compressed) gzfile(path, "rb") else file(path, "rb")
  on.exit(close(from))
  to <- file(copy, "wb")
  on.exit(close(to), add = TRUE)
  left <- raw()
  repeat {
    piece <- read_or_stop(from, if (only_header) 2^20 else 2^24, name, call)
    at_end <- !length(piece) || only_header
    piece <- c(left, piece)
    whole <- if (at_end) length(piece) else whole_characters(piece, kind$encoding)
    left <- piece[seq_len(length(piece) - whole) + whole]
    writeBin(decoded(piece[seq_len(whole)], kind$encoding, name, call), to)
    if (at_end) break
  }
}

# How many of the bytes are whole characters: in UTF-16 one may have two units of two bytes.
whole_characters <- function(bytes, encoding) {
  if (!startsWith(encoding, "UTF-16")) return(length(bytes))
  whole <- length(bytes) %/% 2 * 2
  high <- if (whole > 0) bytes[if (encoding == "UTF-16LE") whole else whole - 1] else as.raw(0)
  if (high >= 0xd8 && high < 0xdc) whole - 2 else whole
}

decoded <- function(bytes, encoding, name, call) {
  if (encoding == "UTF-8" || !length(bytes)) return(bytes)
  decoded <- iconv(list(bytes), if (encoding == "windows-1252") "CP1252" else encoding, "UTF-8", toRaw = TRUE)[[1]]
  if (is.null(decoded)) {
    stop_because(c("{.file {name}} is not in {encoding}.",
                   "try" = "Give its {.arg encoding}: one of {.val {csv_encodings}}."), "csv", call, file = name,
                 problem = "encoding")
  }
  decoded
}

# Of what is not whole R only warns.
read_or_stop <- function(connection, bytes, name, call) {
  refuse <- function(condition) stop_compressed(name, condition, call)
  tryCatch(readBin(connection, raw(), bytes), error = refuse, warning = refuse)
}

stop_compressed <- function(name, condition, call) {
  stop_because(c("{.file {name}} can't be unpacked: it is damaged, or not complete.",
                 "found" = "The system's message: {conditionMessage(condition)}"), "csv", call,
               file = name, problem = "compressed")
}
