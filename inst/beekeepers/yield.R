# What each visit to a hive yielded.
# Run it in this folder with:   rowanroot run yield.R

library(rowanroot)

pounds_per_kg <- 2.20462
apiaries <- read.csv("apiaries.csv")

# One file a month, opened as one table.
visits <- open_table("visits/*.csv")

yield <- visits |>
  set_columns({
    # A few weights were written in grams.
    gross_kg <- if (gross_kg > 1000) gross_kg / 1000 else gross_kg
    net_kg   <- gross_kg - tare_kg
    net_lb   <- net_kg * pounds_per_kg
    strength <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"

    # The scale's reading, and where there is none, the keeper's own.
    hive_kg  <- first_known(scale_kg, manual_kg)

    # A name with a dot is scratch: it is not in the result.
    # One hive was split: its code is OM-01-b.
    c(.apiary, .number) <- split_text(hive_code, "-", long = "join")
    # One code was mistyped: that apiary has no region.
    region   <- look_up(.apiary, apiaries, take = region, by = apiary, unknown = "missing")
    day      <- as_date(date, "%d/%m/%Y")
  }, after = tare_kg) |>
  keep_rows(net_kg > 0) |>
  set_columns({
    # What the hive has given so far this year, and the visit's place in its region.
    so_far_kg <- running_total(net_kg, along = day, within = hive_code)
    place     <- ranking(net_kg, best = "highest", within = region)
  })

save_table(yield, "out/yield.csv")
