# What servers have in common of dates.

# Which of its parts is asked for.
part_of_dates <- function(operands, known) {
  part <- operands[["part"]]$value
  if (operands[[1]]$type != "date" || !is_one_text(part) || !part %in% known) not_in_sql("a part of this")
  part
}

unit_of_dates <- function(dates, unit, known) {
  is_date <- vapply(dates, function(date) date$type == "date", NA)
  if (!all(is_date) || !is_one_text(unit$value) || !unit$value %in% known) not_in_sql("times between these")
  unit$value
}

# A number of units that is whole, for all rows or for each.
whole_count <- function(operand) {
  value <- operand$value
  if (is.numeric(value) && isTRUE(value == floor(value)) && abs(value) < 2^31) return(sprintf("(%.0f)", value))
  if (operand$type != "integer") not_in_sql("a number of units that may be no whole one")
  operand$sql
}

# Days and weeks are of one length; `difference` is the template of two dates.
days_between_in_sql <- function(difference) {
  force(difference)
  function(operands, type) {
    unit <- unit_of_dates(operands[c("from", "to")], operands$unit, c("days", "weeks"))
    days <- sprintf(difference, operands$to$sql, operands$from$sql)
    list(sql = if (unit == "weeks") paste0("(", days, " / 7)") else days, type = "double")
  }
}
