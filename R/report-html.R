# Pieces of pages. Texts go through htmltools, which escapes them.

table_tag <- function(data, caption, number = character(), result = character()) {
  t <- htmltools::tags
  class_of <- function(name) if (name %in% number) "number"
  cell <- function(name, value) {
    if (name %in% result) return(t$td(t$span(class = if (value == "holds") "held" else "broken", value)))
    t$td(class = class_of(name), value)
  }
  rows <- lapply(seq_len(nrow(data)), function(k) t$tr(lapply(names(data),
                                                              function(name) cell(name,
                                                                  as.character(data[[name]][k])))))
  t$div(class = "wide", tabindex = "0", role = "region", `aria-label` = caption,
        t$table(t$caption(caption), t$thead(t$tr(lapply(names(data),
                                                        function(name) t$th(scope = "col", class = class_of(name),
                                                            name)))), t$tbody(rows)))
}

# The figure is a picture in the page itself; `words` are for those who can't see it.
figure_tag <- function(figure, words, width, height, class = NULL) {
  file <- tempfile(fileext = ".png")
  on.exit(remove_files(file))
  grDevices::png(file, width, height, units = "in", res = 110,
                 type = if (capabilities("cairo")) "cairo" else getOption("bitmapType"))
  tryCatch(suppressWarnings(print(figure)), finally = grDevices::dev.off())
  bytes <- readBin(file, raw(), file.size(file))
  htmltools::tags$figure(class = class, tabindex = "0", `aria-label` = words,
                         htmltools::tags$img(src = paste0("data:image/png;base64,", jsonlite::base64_enc(bytes)),
                                             alt = words, width = round(width * 110), height = round(height * 110)))
}

write_page <- function(title, tables, file, call) {
  t <- htmltools::tags
  css <- paste(readLines(system.file("report.css", package = "rowanroot"), encoding = "UTF-8"), collapse = "\n")
  page <- t$html(lang = "en",
    t$head(t$meta(charset = "utf-8"), t$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
           t$title(title), t$style(htmltools::HTML(css))),
    t$body(t$a(class = "skip", href = "#report", "To the report"), t$main(id = "report", t$h1(title), tables)))
  # Whole: as.character() would leave the head out.
  html <- paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page), "\n")
  stop_here <- function(condition) stop_cannot_write(file, sub(".*: ", "", trimws(conditionMessage(condition))), call)
  tryCatch(replace_file(file, function(path) {
    connection <- file(path, "wb")
    on.exit(close(connection))
    writeLines(enc2utf8(html), connection, useBytes = TRUE, sep = "")
  }), warning = stop_here, simpleError = stop_here)
}
