# Parts of a source, such as files: what became of them.

# "june.csv changed", for each part that did; parts are identified by name.
changed_parts <- function(before, now) {
  common <- intersect(now$name, before$name)
  changed <- common[now$hash[match(common, now$name)] != before$hash[match(common, before$name)]]
  paste(c(changed, setdiff(now$name, before$name), setdiff(before$name, now$name)),
        rep(c("changed", "is new", "is gone"),
            c(length(changed), sum(!now$name %in% before$name), sum(!before$name %in% now$name))),
        recycle0 = TRUE)
}

all_parts <- function(origin) rbind(origin$parts, origin$looked_up)
