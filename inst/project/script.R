# Turns the files in the folder data into a table.
#   rowanroot run script.R      makes what is out of date
#   rowanroot status script.R   tells what that is, and why
#   rowanroot watch script.R    runs again whenever a file changes
library(rowanroot)

visits <- open_table("data/*.csv")

yield <- visits |>
  must_hold("every hive is named" = known(hive)) |>
  set_columns({
    net_kg <- gross_kg - tare_kg
    place  <- ranking(net_kg, best = "highest")
  })

yield
save_table(yield, "out/yield.csv")
