#!/bin/sh
# Pictures of what the commands print, in a real terminal window, and of a page: docs/screenshots/. Needs Debian's xvfb,
# xterm, imagemagick, fonts-dejavu-core, r-cran-rmarkdown, pandoc and chromium.
set -eu
cd "$(dirname "$0")/.."
out=$PWD/docs/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

# shoot NAME ROWS COMMAND SIZE [COLUMNS]: runs the command in a window of that many lines, 100 columns wide if not told, in letters
# of that size.
shoot() {
  printf '%s\n' "cd '$work'" "clear" "$3" "touch '$work/done'" "sleep 30" >"$work/session"
  rm -f "$work/done"
  LANG=C.UTF-8 xvfb-run -a -s "-screen 0 1280x800x24" sh -c "
    xterm -u8 -fa 'DejaVu Sans Mono' -fs $4 -geometry ${5:-100}x$2+0+0 -bg '#fbfaf7' -fg '#22272e' -xrm 'xterm*color6: #0b6e75' \
      -xrm 'xterm*color3: #9a5b00' -xrm 'xterm*color8: #6a7280' -xrm 'xterm*boldColors: false' +sb -cr '#fbfaf7' -e sh '$work/session' &
    while [ ! -e '$work/done' ]; do sleep 0.2; done; sleep 1
    import -window root '$work/shot.png'; kill %1 2>/dev/null || true"
  convert "$work/shot.png" -trim -bordercolor '#fbfaf7' -border 12 "$out/$1.png"
  echo "$out/$1.png"
}

# page NAME FILE HEIGHT: the document, or the page, in a browser window.
page() {
  case $2 in
    *.Rmd) (cd "$work" && Rscript -e "rmarkdown::render('$2', output_file = 'page.html', quiet = TRUE)" >/dev/null) ;;
    *) cp "$work/$2" "$work/page.html" ;;
  esac
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync \
    --user-data-dir="$work/browser" --hide-scrollbars --window-size="1280,$3" --screenshot="$out/$1.png" "file://$work/page.html" >/dev/null 2>&1
  echo "$out/$1.png"
}

(cd "$work" && rowanroot demo d >/dev/null)

# Sixty columns: the means of each month of the demo's files beside each other.
cat >"$work/d/wide.R" <<'END'
suppressMessages(library(rowanroot))
months <- as.data.frame(open_table("visits/*.csv")) |>
  set_columns({ month <- sprintf("%02d", date_part(as_date(date, "%d/%m/%Y"), "month")) }) |>
  one_row_per(c(hive_code, month), {
    gross_kg <- mean(gross_kg, na.rm = TRUE)
    tare_kg <- mean(tare_kg)
    frames <- mean(frames, na.rm = TRUE)
    mites <- mean(mites, na.rm = TRUE)
    moisture <- mean(moisture)
  })
hives <- one_row_per(months, hive_code)
for (month in sort(unique(months$month)))
  for (name in c("gross_kg", "tare_kg", "frames", "mites", "moisture"))
    hives[[paste0(name, "_", month)]] <- round(look_up(hives$hive_code, months[months$month == month, ], take = c(gross_kg, tare_kg, frames, mites, moisture),
                                                       by = hive_code, unknown = "missing")[[name]], 1)
open_table(hives) |>
  set_columns({
    net_kg_06 <- gross_kg_06 - tare_kg_06
    gain_kg   <- gross_kg_08 - gross_kg_04
    risk      <- if (mites_08 > 4 && moisture_08 > 18.5) "high" else "low"
  }) |>
  peek(rows = 4)
END
cat >"$work/d/compare.R" <<'END'
suppressMessages(library(rowanroot))
visits <- open_table("visits/*.csv")
mended <- visits |>
  set_columns({
    gross_kg[gross_kg > 1000] <- gross_kg / 1000
    hive_code <- sub("^([A-Z]+-[0-9]+).*", "\\1", hive_code)
    date <- as_date(date, "%d/%m/%Y")
    net_kg <- gross_kg - tare_kg
  }, carry = -manual_kg)
compare_tables(visits, mended)
END
cat >"$work/d/routine.R" <<'END'
suppressMessages(library(rowanroot))
april <- open_table("visits/2025-04.csv")
june <- open_table("visits/2025-06.csv")
standing <- routine() |>
  set_columns({
    net_kg <- gross_kg - tare_kg
    z      <- z_score(net_kg)
    above  <- net_kg - mean(net_kg, na.rm = TRUE, within = keeper_first)
  }) |>
  keep_rows(net_kg < 100) |>
  sort_rows(descending(z))
of_april <- calibrate(standing, april)
of_april
cat("\n")
run(of_april, june) |> keep_columns(hive_code, net_kg, z) |> peek(rows = 3)
END
cat >"$work/notebook.Rmd" <<'END'
---
title: "A year of visits"
output: html_document
---

```{r, include = FALSE}
library(rowanroot)
```

```{r}
visits <- open_table("d/visits/*.csv")
yield <- visits |> set_columns({
  gross_kg[gross_kg > 1000] <- gross_kg / 1000
  net_kg   <- gross_kg - tare_kg
  strength <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
})
peek(yield, rows = 3)
column_summary(yield, gross_kg:mites, net_kg, strength)
compare_tables(visits, yield)
```
END

shoot demo 62 "rowanroot demo visits-demo" 8
shoot peek 24 "cd d; rowanroot peek 'visits/*.csv'" 11
shoot peek-wide 42 "cd d; Rscript wide.R" 11 80
shoot summary 26 "cd d; Rscript -e 'rowanroot::column_summary(rowanroot::open_table(\"visits/*.csv\"))'" 12 80
shoot compare 20 "cd d; Rscript compare.R" 12 80
shoot routine 26 "cd d; Rscript routine.R" 12 80
shoot changes 22 "cd d; sed -i '3s/,10.6,/,19.5,/' visits/2025-05.csv; rowanroot status yield.R; rowanroot run yield.R | tail -2; rowanroot changes out/yield.csv" 12 90
page notebook notebook.Rmd 1500
cat >"$work/d/season.R" <<'END'
library(rowanroot)
pounds_per_kg <- 2.20462
season <- open_table("visits/*.csv") |>
  set_columns({
    gross_kg[gross_kg > 1000] <- gross_kg / 1000
    net_kg   <- gross_kg - tare_kg
    net_lb   <- net_kg * pounds_per_kg
    strength <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
    day      <- as_date(date, "%d/%m/%Y")
    apiary   <- substr(hive_code, 1, 2)
    so_far   <- running_total(net_kg, along = day, within = apiary)
    place    <- ranking(net_kg, best = "highest", within = apiary)
  }) |>
  must_hold("nothing weighs less than its box" = net_kg > 0 || is.na(net_kg)) |>
  should_hold("weights are known" = known(net_kg)) |>
  keep_rows(net_kg > 0)
save_table(season, "out/season.csv")
END
(cd "$work/d" && rowanroot run season.R && sed -i '9s/,[0-9]*[.][0-9],/,33.1,/' visits/2025-05.csv && rowanroot run season.R && rowanroot report season.R) >/dev/null 2>&1
shoot why 24 "cd d; rowanroot why out/season.csv --row 700 --column place" 12 90
page report d/season-report.html 2600
cat >"$work/d/figures.R" <<'END'
library(rowanroot)
season <- rowanroot:::table_of_output("out/season.csv", NULL)$table
figure <- function(name, plot) ggplot2::ggsave(file.path(commandArgs(TRUE), paste0(name, ".png")), plot, width = 10, height = 6, dpi = 100)
figure("lineage", plot(lineage(season)))
figure("plot-column", plot_column(season, net_kg))
figure("plot-running", plot_running(season, so_far, along = day, within = apiary))
figure("plot-ranking", plot_ranking(keep_rows(season, apiary == "NB"), place, label = hive_code, top = 12))
END
(cd "$work/d" && Rscript figures.R "$out" >/dev/null 2>&1)
shoot new 16 "rowanroot new honey; cd honey; ls; rowanroot run *.R" 12 90
shoot watch 11 "cd d; (rowanroot watch yield.R & w=\$!; sleep 5; sed -i '4s/,10.6,/,19.5,/;5s/,[0-9]*[.][0-9],/,18.7,/' visits/2025-06.csv; sleep 6; kill -INT \$w; sleep 1)" 12 90

cat >"$work/d/database.R" <<'END'
suppressMessages(library(rowanroot))
connection <- DBI::dbConnect(RSQLite::SQLite(), tempfile(fileext = ".sqlite"), extended_types = TRUE)
DBI::dbWriteTable(connection, "visits", as.data.frame(open_table("visits/*.csv")))
open_table(connection, table = "visits") |>
  set_columns({
    net_kg <- gross_kg - tare_kg
    place <- ranking(net_kg, best = "highest", within = hive_code)
  }) |>
  keep_rows(place <= 3L) |>
  set_columns({ best_kg <- running_total(net_kg, within = hive_code) }) |>
  show_steps()
END
shoot database 11 "cd d; Rscript database.R" 12
